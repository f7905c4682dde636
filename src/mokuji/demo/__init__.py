"""The demo wiki: page files, and the story of how they came to be (see services/demo.py)."""
