"""References follow: the machine that all acts share."""
