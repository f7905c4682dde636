"""A text as HTML with open places, and two renderings compared.  What stands in the places is filled by who knows."""
