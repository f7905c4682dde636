"""One page's text: what it holds, and how it is shown.

All use of the CommonMark parser is inside this room. Nothing here knows
whether another page exists; that is ``references``.
"""
