"""Who is told of a change, as far as its texts say."""
