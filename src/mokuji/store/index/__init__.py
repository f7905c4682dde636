"""What is kept of texts so that it can be asked: who refers to whom, who inserts, files, cites and names what."""
