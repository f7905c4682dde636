"""The rules of the job: names, references, plans.

Everything here is pure: no files, clock, randomness, framework, driver or
database. What it needs to know is handed in; what it finds out is returned.
"""
