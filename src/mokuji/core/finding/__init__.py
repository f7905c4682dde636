"""Finding pages by what readers see of them: words of a text, what may be asked, the sentences that answer it."""
