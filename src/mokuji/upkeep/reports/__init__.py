"""Reports of what there is to mend in a volume, a module each."""
