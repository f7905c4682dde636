"""What there is to mend in a wiki: one module a report. Each is pure; the acts that mend are plans."""
