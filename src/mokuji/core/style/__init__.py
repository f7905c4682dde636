"""How a text reads: sentences, flaws, the rules of a house style, words that name pages without referring to them."""
