"""One file per act. Each takes a wiki and a wish and gives a plan: what will change, as a value.

Plans do not import each other; what they share is in ``following``.
"""
