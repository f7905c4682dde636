"""Telling people of changes in words: what an entry says, mail, feeds.

What is told, and to whom, is decided by ``services.telling``; here it is said, as mail (``mail``, sent by ``sending``)
and as a feed (``feeds``). Addresses of pages are handed in (``places``), since the rooms above make them.
"""
