"""What acts write and take out: change sets with their inverse, the trash, secrets."""
