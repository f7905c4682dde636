"""What starts a process or asks the machine: the private database, Graphviz, dictionaries."""
