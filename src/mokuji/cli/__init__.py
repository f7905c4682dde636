"""The command ``mokuji``: serve, demo, import, and what an administrator needs."""
