"""The log: change sets, the revisions that they made, and who did what with people and rights."""
