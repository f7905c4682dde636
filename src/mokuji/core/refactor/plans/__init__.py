"""One file per act. Each takes a wiki and what is asked for, and gives a plan: what will change, as a value.

Plans do not import each other; what they share is in ``following``.
"""
