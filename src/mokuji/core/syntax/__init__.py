"""What may stand in a text, a module for each: references, headings, slots, tasks, fences, and so on.

All use of the CommonMark parser is inside this room.
"""
