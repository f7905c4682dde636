"""Looking back: earlier revisions, who wrote what, what was done, how volumes stood, what lies in the trash."""
