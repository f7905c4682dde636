"""Pages for readers elsewhere: as CommonMark, as one HTML file, as a document of a word processor."""
