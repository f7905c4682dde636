"""What there is to mend, and what is done in the background for it."""
