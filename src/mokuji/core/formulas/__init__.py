"""Formulas: LaTeX as MathML, with the notations of chemistry and quantities.  Knows nothing of pages."""
