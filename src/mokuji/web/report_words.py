"""What the reports of upkeep are called, for their overview and for the go box."""

from __future__ import annotations

from typing import NamedTuple


class ReportWords(NamedTuple):
    """The heading of a report, and a sentence that says what is in it."""

    heading: str
    sentence: str


WORDS = {
    "orphans": ReportWords("Orphans", "No other page leads to them."),
    "out-of-reach": ReportWords(
        "Out of reach", "Readers do not come to them from the front page or the contents."
    ),
    "unwritten": ReportWords("Unwritten names", "Pages refer to them, and they are not written yet."),
    "look-alikes": ReportWords("Look-alikes", "Names that probably mean the same thing."),
    "no-file": ReportWords("Missing files", "Pages name them, and the volume does not have them."),
    "no-source": ReportWords("Missing sources", "Pages cite them, and they are not in the list."),
    "sections": ReportWords("Missing sections", "References to a section that its page does not have."),
    "mentions": ReportWords("Bare mentions", "Words that name a page and are not linked to it."),
    "addresses": ReportWords(
        "Own addresses", "Pages of this wiki linked by their address: such links break when a page moves."
    ),
    "flaws": ReportWords("Flaws", "Rows, levels, pictures, code and words that a careful eye would mend."),
    "style": ReportWords(
        "House style", "Capitals, long sentences, words and spelling that the volume's rules have otherwise."
    ),
    "insert-faults": ReportWords("Faulty inserts", "Values that do not fit the template they are given to."),
    "repeats": ReportWords("Repeated text", "The same words in several places."),
    "unused": ReportWords("Templates put in nowhere", "No page puts them in."),
    "files": ReportWords("Files in use", "Files that pages point at, and where."),
    "unfiled": ReportWords("Without category", "Pages that are filed nowhere."),
    "lone": ReportWords("Lone categories", "One page only is filed under each."),
    "categories": ReportWords(
        "Categories to bring together", "They look alike, or are broader than each other."
    ),
}
