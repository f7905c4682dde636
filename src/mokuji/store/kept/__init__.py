"""What is kept beside the pages: house styles, reports, what was set aside, questions."""
