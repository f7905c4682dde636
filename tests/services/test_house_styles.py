"""The house style of a volume: who may change it, what it finds, what it learns."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from mokuji.core.base.errors import Conflict, Forbidden, Missing, Refused
from mokuji.core.model.policy import Actor, Role
from mokuji.core.style.style import Preferred, Style
from mokuji.services.app_context import AppContext
from mokuji.services.folders import checking, importing
from mokuji.services.reading import house_styles
from mokuji.services.writing import findings, writing
from mokuji.upkeep import upkeep
from tests.services import making

STYLE = Style("sentence", "sentence", ("Tern",), 3, 4, (Preferred("turn off", ("power down",)),), "en-GB")
TEXT = "## Fit The Tern\n\nPower down the colour lamp now, all of it.\n\n1. One two three four.\n\nTeh teh lamp, teh.\n"


@pytest.fixture
def writer(app: AppContext) -> Actor:
    making.volume(app, "Guide")
    making.volume(app, "Secret", closed=True)
    return making.person(app, "wenna", guide=Role.WRITER)


@pytest.fixture
def owner(app: AppContext, writer: Actor) -> Actor:
    return making.person(app, "olwen", guide=Role.OWNER)


def test_owners_change_the_rules_and_writers_see_them(app: AppContext, owner: Actor, writer: Actor) -> None:
    with pytest.raises(Forbidden):
        house_styles.set_style(app, writer, "guide", STYLE)
    house_styles.set_style(app, owner, "guide", STYLE, revision=0)
    view = house_styles.open_style(app, writer, "guide")
    assert (view.style, view.stored.revision, view.stored.name) == (STYLE, 1, owner.name)
    assert "en-GB" in view.languages


def test_rules_that_somebody_else_changed_are_not_overwritten(app: AppContext, owner: Actor) -> None:
    house_styles.set_style(app, owner, "guide", STYLE, revision=0)
    with pytest.raises(Conflict, match="changed the house style meanwhile"):
        house_styles.set_style(app, owner, "guide", Style(), revision=0)
    assert house_styles.open_style(app, owner, "guide").style == STYLE


def test_a_language_without_a_dictionary_is_refused_with_what_to_do(app: AppContext, owner: Actor) -> None:
    with pytest.raises(Refused, match="no dictionary for “xx-XX”"):
        house_styles.set_style(app, owner, "guide", Style(spelling="xx-XX"))


def test_writers_teach_words_and_names_and_readers_do_not(
    app: AppContext, owner: Actor, writer: Actor
) -> None:
    house_styles.set_style(app, owner, "guide", STYLE)
    house_styles.learn(app, writer, "guide", "word", "gland")
    house_styles.learn(app, writer, "guide", "word", " gland ")
    house_styles.learn(app, writer, "guide", "name", "Port  light")
    style = house_styles.open_style(app, writer, "guide").style
    assert (style.words, style.names) == (("gland",), ("Port light", "Tern"))
    with pytest.raises(Forbidden):
        house_styles.learn(app, Actor(), "guide", "word", "x")
    with pytest.raises(Refused):
        house_styles.learn(app, writer, "guide", "word", "x" * 101)


def test_of_words_that_are_taught_at_once_none_is_lost(app: AppContext, owner: Actor, writer: Actor) -> None:
    words = [f"gland{'x' * n}" for n in range(16)]
    with ThreadPoolExecutor(4) as pool:
        list(pool.map(lambda word: house_styles.learn(app, writer, "guide", "word", word), words))
    assert house_styles.open_style(app, writer, "guide").style.words == tuple(words)


def test_preferred_words_keep_the_order_in_which_they_were_written(app: AppContext, owner: Actor) -> None:
    style = Style(
        preferred=(Preferred("turn off the lamp", ("a",)), Preferred("fit", ("b",)), Preferred("", ("c",)))
    )
    house_styles.set_style(app, owner, "guide", style)
    assert house_styles.open_style(app, owner, "guide").style == style


def test_a_closed_volume_tells_nothing_of_its_rules(app: AppContext) -> None:
    for ask in (
        lambda: house_styles.open_style(app, Actor(), "secret"),
        lambda: house_styles.corrections(app, Actor(), "secret", ["teh"]),
    ):
        with pytest.raises(Missing, match="closed to you"):
            ask()


def _codes(app: AppContext, actor: Actor, text: str) -> list[tuple[str, str]]:
    seen = writing.preview(app, actor, "guide", "lamp", text, title="Lamp")
    found = findings.findings(app, actor, seen, (), ())
    return [
        (finding.word or finding.span.of(text).strip(), finding.message)
        for finding in found
        if finding.kind == "style"
    ]


def test_the_desk_finds_what_the_rules_of_its_volume_have_otherwise(
    app: AppContext, owner: Actor, writer: Actor
) -> None:
    assert _codes(app, writer, TEXT) == []
    house_styles.set_style(app, owner, "guide", STYLE)
    assert [words for words, _ in _codes(app, writer, TEXT)] == [
        "Fit The Tern",
        "Power down",
        "Power down the colour lamp now, all of it.",
        "One two three four.",
        "Teh",
        "teh",
        "teh",
    ]


def test_the_report_lists_each_unknown_word_once_a_page_and_pages_by_key(
    app: AppContext, owner: Actor, writer: Actor
) -> None:
    for title in ("Lamp", "Lamp 2"):
        making.pages(app, writer, "guide", {title: TEXT})
    assert not upkeep.report(app, writer, "guide", "style").styled
    house_styles.set_style(app, owner, "guide", STYLE)
    report = upkeep.report(app, writer, "guide", "style", most=4)
    again = upkeep.report(app, writer, "guide", "style", after=report.more_after or "", most=50)
    said = [finding.reason for finding in (*report.findings, *again.findings) if finding.title == "Lamp"]
    assert len(said) == 6
    assert sum("dictionary" in each for each in said) == 2


def test_the_words_of_titles_are_the_likeliest_corrections(
    app: AppContext, owner: Actor, writer: Actor
) -> None:
    house_styles.set_style(app, owner, "guide", Style(spelling="en-GB"))
    plain = house_styles.corrections(app, writer, "guide", ["isolater"])["isolater"]
    making.pages(app, writer, "guide", {"Main isolator": "x"})
    found = house_styles.corrections(app, writer, "guide", ["isolater", ""])
    assert list(found) == ["isolater"]
    assert found["isolater"][0] == "isolator" and sorted(found["isolater"]) == sorted(plain)


FOLDER_STYLE = """title: Guide
style:
  headings: sentence
  spelling: en-GB
  words: [gland]
  colours: red
"""


def test_a_folder_is_held_to_the_rules_in_its_settings(tmp_path: Path) -> None:
    (tmp_path / "volume.yaml").write_text(FOLDER_STYLE)
    (tmp_path / "Lamp.md").write_text("## Fit The lamp\n\nThe gland and teh lid.\n")
    said = [
        f"{problem.path}:{problem.line}:{problem.column} {problem.message}"
        for problem in checking.check(tmp_path).problems
    ]
    assert said == [
        "Lamp.md:1:4 This heading is not in sentence case.",
        "Lamp.md:3:15 “teh” is not in the dictionary.",
        "volume.yaml:1:1 “colours” is no rule of a house style.",
    ]


def test_a_folder_in_a_language_without_a_dictionary_says_so(tmp_path: Path) -> None:
    (tmp_path / "volume.yaml").write_text("style:\n  spelling: xx-XX\n")
    (tmp_path / "Lamp.md").write_text("teh\n")
    (problem,) = checking.check(tmp_path).problems
    assert problem.message == "There is no dictionary for “xx-XX” here, so spelling was not looked at."


def test_an_imported_volume_brings_its_rules(app: AppContext, tmp_path: Path, owner: Actor) -> None:
    (tmp_path / "volume.yaml").write_text(FOLDER_STYLE.replace("Guide", "Sea guide"))
    (tmp_path / "Lamp.md").write_text("x\n")
    wiki = importing.read_folder(tmp_path)
    importing.import_now(app, tmp_path, wiki, "import", owner=owner.person, leave_out=True)
    style = house_styles.open_style(app, owner, "sea guide").style
    assert style == Style("sentence", spelling="en-GB", words=("gland",))
