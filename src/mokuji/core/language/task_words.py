"""What a task says, as plain words."""

from __future__ import annotations

from mokuji.core.language.excerpt import fragment
from mokuji.core.language.page import Page
from mokuji.core.syntax.tasks import Task, said


def plain_words(page: Page, task: Task) -> str:
    """What a task says, as plain words; who is named is told beside it."""
    words = fragment(said(page.text, task))
    for handle in task.people:
        words = " ".join(each for each in words.split(" ") if each.casefold() != f"@{handle}")
    return words
