"""Routes by subject. Each takes a request apart, calls one service, and picks the page to show."""
