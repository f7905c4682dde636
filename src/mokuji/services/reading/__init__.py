"""What readers are shown: volumes, pages, their history, lists, searches, the trash."""
