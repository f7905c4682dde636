"""Link definitions and footnotes read the same once texts were parted or united: the parser is asked."""

from __future__ import annotations

from collections import Counter
from typing import Any

from hypothesis import assume, event, given
from hypothesis import strategies as st

from mokuji.core.base.errors import MokujiError
from mokuji.core.refactor.plans.join import join
from mokuji.core.refactor.plans.merge import joined, merge
from mokuji.core.refactor.plans.split import split
from mokuji.core.syntax import front_matter
from mokuji.core.syntax.parser import events, tag_name
from tests.properties.promises import applied, new_ids
from tests.wikis import wiki_of

LABELS = ["pump", "Pump", "sea  trial", "1", "2", "é"]
label = st.sampled_from(LABELS)
uses = st.one_of(
    st.builds("see [{}]".format, label),
    st.builds("see [the text][{}]".format, label),
    st.builds("see [{}][]".format, label),
    st.builds("![picture][{}]".format, label),
    st.builds("a note[^{}]".format, label),
    st.just("see [[Well]] and [[#Middle]]"),
    st.just("`[pump]` \\[pump] [[Well|x]]"),
)
definitions = st.one_of(
    st.builds("[{}]: /{}".format, label, st.sampled_from(["a", "b"])),
    st.builds("[{}]:\n  /{}\n  'title'".format, label, st.sampled_from(["a", "b"])),
    st.builds("[^{}]: note {}".format, label, st.sampled_from(["x", "y [pump]", "z [^2]", "on [[Well]]"])),
    st.builds("[^{}]: note\n\n    that goes on".format, label),
    st.builds("> [{}]: /in-a-quotation\n> 'title'".format, label),
    st.builds("- item\n\n  [{}]: /in-a-list".format, label),
)
blocks = st.lists(st.one_of(uses, uses, definitions), max_size=4)


def _reads(text: str) -> Counter[tuple[str, ...]]:
    """What links and marks of notes lead to: address and title, or the words of the note. Notes themselves are
    counted where they are used."""
    notes: dict[str, list[str]] = {}
    used: list[tuple[str, ...]] = []
    inside: list[str] = []
    linked: dict[str, list[tuple[str, ...]]] = {}
    for event_ in events(text[front_matter.read(text).span.end :]):
        kind: str
        value: Any
        kind, value = (event_, None) if isinstance(event_, str) else next(iter(event_.items()))
        name = tag_name(value) if kind in {"Start", "End"} else ""
        if name == "FootnoteDefinition" and kind == "Start":
            key = value["FootnoteDefinition"].casefold()
            inside.append(key if key not in notes else "")
            notes.setdefault(key, [])
        elif name == "FootnoteDefinition":
            inside.pop()
        found: tuple[str, ...] | None = None
        if kind == "Start" and name in {"Link", "Image"}:
            found = ("link", value[name]["dest_url"], value[name]["title"])
        elif kind == "FootnoteReference":
            found = ("note", value.casefold())
        elif kind == "Text" and inside:
            notes[inside[-1]].append(value) if inside[-1] else None
        if found and inside:
            linked.setdefault(inside[-1], []).append(found)
        elif found:
            used.append(found)
    said: Counter[tuple[str, ...]] = Counter()
    for each in used:
        if each[0] == "link":
            said[each] += 1
            continue
        reached, open_ = {each[1]}, [each[1]]
        links: list[tuple[str, ...]] = []
        while open_:
            for inner in linked.get(open_.pop(), ()):
                if inner[0] == "link":
                    links.append(inner)
                elif inner[1] not in reached:
                    reached.add(inner[1])
                    open_.append(inner[1])
        words = sorted(" ".join(notes.get(key, ())) for key in reached)
        said["note", *words, *(part for link in sorted(links) for part in link)] += 1
    return said


def _text(*parts: list[str]) -> str:
    return "\n\n".join(block for part in parts for block in part) + "\n"


@given(blocks, blocks, blocks, st.sampled_from(["link", "insert"]))
def test_a_split_takes_along_what_its_section_needs_and_leaves_what_the_rest_needs(
    before: list[str], section: list[str], behind: list[str], leave: str
) -> None:
    text = _text(before, ["## Middle"], section, ["## Behind"], behind)
    wiki = wiki_of({"Guide": {"Pump": text, "Well": ""}})
    try:
        plan = split(wiki, 1, 0, "New", leave=leave)  # type: ignore[arg-type]
    except MokujiError as refusal:
        event(f"refused: {refusal.code}")
        assert refusal.code in {"nested", "runs_together", "defined_twice"}
        return
    after = applied(wiki, plan)
    rest, new = after.pages_by_id[1].text, after.pages_by_id[new_ids(wiki, plan)[0]].text
    event("carried" if new.rstrip() not in text else "carried nothing")
    assert _reads(rest) + _reads(new) == _reads(text)


@given(blocks, blocks, st.sampled_from(["after", "before", "join"]))
def test_texts_that_become_one_read_as_they_did_each_by_itself(
    ours: list[str], theirs: list[str], how: str
) -> None:
    texts = {"Pump": _text(ours), "Cell": _text(theirs), "Well": ""}
    wiki = wiki_of({"Guide": texts})
    try:
        plan = join(wiki, 1, 2) if how == "join" else merge(wiki, 1, 2, texts=how)  # type: ignore[arg-type]
    except MokujiError as refusal:
        event(f"refused: {refusal.code}")
        assert refusal.code in {"runs_together", "unexpected_references"}
        return
    made = applied(wiki, plan).pages_by_id[2].text
    expected = _reads(texts["Pump"]) + _reads(texts["Cell"])
    assert _reads(made) == expected
    if how != "join":
        draft = joined(wiki.pages_by_id[1], wiki.pages_by_id[2], how)  # type: ignore[arg-type]
        assume("[[Pump" not in draft)
        assert _reads(draft) == expected
