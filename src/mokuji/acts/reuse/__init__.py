"""Acts on what is written once and used often: categories, slots, inserts."""
