"""What a wiki is: volumes, pages, places, references and what they lead to, categories, rights, and changes of it."""
