"""Changes to many pages at once, as plans: what an act will do, as a value, before it is done."""
