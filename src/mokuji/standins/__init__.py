"""Small simulated outside services that ship with Mokuji: for the demo, and to be tried against."""
