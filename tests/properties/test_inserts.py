"""Expansion of random templates, held to a slow and plain one that works on bare text."""

from __future__ import annotations

import re

from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.errors import MokujiError
from mokuji.core.plans.inline import inline
from mokuji.core.text.reference import Kind
from mokuji.core.wiki import MemoryWiki
from tests.core.showing import shown
from tests.wikis import wiki_of

NAMES = ["a", "b"]
WORDS = st.sampled_from(["one", "two words", "*em*", "`code`", "3 V", "é", "x-y"])


@st.composite
def templates(draw: st.DrawFn) -> dict[str, str]:
    """Templates T0…T3, each of which may insert those behind it, and a page that inserts some."""
    texts: dict[str, str] = {}
    for n in (3, 2, 1, 0):
        pieces = draw(st.lists(st.one_of(WORDS, _slots(), _calls(n)), min_size=1, max_size=5))
        head = "".join(f"  {name}: {draw(st.sampled_from(['', '{default: d}']))}\n" for name in NAMES)
        texts[f"T{n}"] = f"---\nslots:\n{head}---\n{' '.join(pieces)}"
    texts["Host"] = "x " + " ".join(draw(st.lists(_calls(-1), min_size=1, max_size=3)))
    return texts


def _slots() -> st.SearchStrategy[str]:
    form = st.sampled_from(
        ["${%s}", "${%s:-none}", "${%s-un set}", "${%s:+given}", "${%s+set}", "${%s:-${b}}"]
    )
    return st.builds(lambda text, name: text % name, form, st.sampled_from(NAMES))


def _calls(above: int) -> st.SearchStrategy[str]:
    later = [f"T{n}" for n in range(above + 1, 4)]
    if not later:
        return WORDS
    value = st.sampled_from(["v", "w w", "", "*e*"] + (["${a}", "${b:-q}"] if above >= 0 else []))
    values = st.lists(st.tuples(st.sampled_from(NAMES), value), max_size=2, unique_by=lambda pair: pair[0])
    return st.builds(
        lambda name, given_: f"[[={name}{''.join(f' | {n}: {v}' for n, v in given_)}]]",
        st.sampled_from(later),
        values,
    )


CALL = re.compile(r"\[\[=(T\d)((?: \| [ab]: [^|\]]*)*)\]\]")


def plainly(text: str, texts: dict[str, str], values: dict[str, str] | None) -> str:
    """A text with its inserts replaced by their text, one after the other; ``values`` are None outside of templates."""
    if values is not None:
        text = _filled(text, values)

    def put_in(found: re.Match[str]) -> str:
        given_ = dict(part.split(": ", 1) for part in found[2].split(" | ")[1:])
        head, body = texts[found[1]].split("---\n")[1:]
        seen = {name: "d" for name in NAMES if f"{name}: {{default" in head}
        return plainly(body, texts, seen | {name: value.strip() for name, value in given_.items()})

    return CALL.sub(put_in, text)


def _filled(text: str, values: dict[str, str]) -> str:
    """Slots replaced by rule, the innermost first: no value of these tests holds a slot."""

    def one(found: re.Match[str]) -> str:
        name, operator, word = found.groups()
        value = values.get(name)
        there = value is not None and (value != "" or ":" not in (operator or ""))
        if operator and operator[-1] == "+":
            return word if there else ""
        return (value or "") if there or not operator else word

    slot = re.compile(r"\$\{([ab])(?:(:?[-+])([^{}$]*))?\}")
    while "${" in text:
        text = slot.sub(one, text)
    return text


def _said(wiki: MemoryWiki) -> str:
    html = shown(wiki, wiki.pages_by_id[1]).html
    # An insert that gives nothing leaves the white space around it.
    return re.sub(r" ?(</?p>) ?", r"\1", " ".join(re.sub(r"<!\w+>", "", html).split()))


@given(templates())
def test_what_is_put_in_is_what_a_plain_expansion_gives(texts: dict[str, str]) -> None:
    flat = plainly(texts["Host"], texts, None)
    host = {"Host": texts["Host"], **{name: text for name, text in texts.items() if name != "Host"}}
    assert _said(wiki_of({"Guide": host})) == _said(wiki_of({"Guide": {"Host": flat}}))


def _inlined(texts: dict[str, str]) -> tuple[dict[str, str], list[str]]:
    """The texts once all inserts of the host are replaced that can be, those that come with them too; and why the
    others are not."""
    texts, left = dict(texts), 0
    why: list[str] = []
    while True:
        wiki = wiki_of({"Guide": texts})
        host = wiki.pages_by_id[1]
        inserts = [n for n, each in enumerate(host.content.references) if each.kind is Kind.INSERT]
        if len(inserts) <= left:
            return texts, why
        try:
            texts["Host"] = inline(wiki, 1, inserts[left]).change_set.changes[0].after
        except MokujiError as refusal:
            why.append(str(refusal))
            left += 1


@given(templates())
def test_inlining_everything_gives_the_same_rendering(texts: dict[str, str]) -> None:
    host = {"Host": texts["Host"], **{name: text for name, text in texts.items() if name != "Host"}}
    flat, why = _inlined(host)
    assert _said(wiki_of({"Guide": flat})) == _said(wiki_of({"Guide": host}))
    # Only inserts whose values are at fault, or that stand in a value, are left.
    assert all("values do not fit" in each or "another reference" in each for each in why), why
