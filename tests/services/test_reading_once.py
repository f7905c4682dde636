"""A text is read once: by the first who needs what stands in it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from mokuji.core.language.scan import forget_texts
from mokuji.core.model.policy import Actor, Role
from mokuji.core.refactor.plans.rename import rename
from mokuji.core.syntax import parser
from mokuji.services.app_context import AppContext
from mokuji.services.folders import folders
from mokuji.services.reading import reading
from mokuji.services.writing import writing
from tests.services.making import person, volume

TEXT = """---
aliases: [Bilge pump]
status: draft
---

## Limits of the {word}

See [[Pump#Limits]], [a drawing](a.png), [notes], $x^2$ [^gale] and [^n] #sea-trial @wenna.

- [ ] (A) Replace the {word} due:2027-03-01

```dot Way
digraph {{ a -> b }}
```

<!-- part -->
One
<!-- /part -->

[notes]: b.pdf
[^n]: A note
"""


class Counted:
    """The parser, which tells how often it was given a text with a word."""

    def __init__(self, markdown: Any) -> None:
        self._markdown = markdown
        self.texts: list[str] = []

    def events_with_range(self, text: str, **options: Any) -> Any:
        self.texts.append(text)
        return self._markdown.events_with_range(text, **options)

    def events(self, text: str, **options: Any) -> Any:
        self.texts.append(text)
        return self._markdown.events(text, **options)

    def times(self, word: str) -> int:
        """How often since it was asked last."""
        number = sum(word in text for text in self.texts)
        self.texts.clear()
        return number


@pytest.fixture
def counted(monkeypatch: pytest.MonkeyPatch) -> Counted:
    forget_texts()
    counted = Counted(parser._language)
    monkeypatch.setattr(parser, "_language", counted)
    return counted


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    return person(app, "wenna", guide=Role.WRITER)


def test_a_save_reads_its_text_once_and_a_view_only_lays_it_out(
    app: AppContext, writer: Actor, counted: Counted
) -> None:
    # As it is typed, and with its references taken out.
    once = 2
    writing.save(app, writer, writing.Save("guide", "Way", TEXT.format(word="anode"), revision=0))
    assert counted.times("anode") == once
    reading.open_page(app, writer, "guide", "way")
    assert counted.times("anode") == 1
    reading.open_page(app, writer, "guide", "way")
    assert counted.times("anode") == 0
    later = TEXT.format(word="impeller") + "\nMore.\n"
    writing.save(app, writer, writing.Save("guide", "Way", later, revision=1))
    assert (sum("anode" in text for text in counted.texts), counted.times("impeller")) == (0, once)


def test_what_the_preview_read_is_not_read_by_the_save_again(
    app: AppContext, writer: Actor, counted: Counted
) -> None:
    text = TEXT.format(word="anode")
    writing.preview(app, writer, "guide", "way", text)
    assert counted.times("anode") == 2 + 1
    writing.save(app, writer, writing.Save("guide", "Way", text, revision=0))
    assert counted.times("anode") == 0


def test_a_plan_on_a_folder_reads_no_page_again_that_only_names_what_is_renamed(
    tmp_path: Path, counted: Counted
) -> None:
    (tmp_path / "Pump.md").write_text("## Limits\n", encoding="utf-8")
    for number in range(5):
        text = f"---\naliases: [P{number}]\n---\né impeller [[Pump]] and [[Pump|it]]\n"
        (tmp_path / f"Page {number}.md").write_text(text, encoding="utf-8")
    found = folders.load(tmp_path)
    assert counted.times("impeller") == 5
    forget_texts()
    (pump,) = found.wiki.titles([(1, "pump")]).values()
    made = rename(found.wiki, pump.id, "Bilge pump")
    assert len(made.change_set.changes) == 1 + 5
    assert all("[[Bilge pump" in change.after for change in made.change_set.changes if change.text_changed)
    assert counted.times("impeller") == 0
