"""Expansion of random templates, held to a slow and plain one that works on bare text."""

from __future__ import annotations

import re

from hypothesis import event, given
from hypothesis import strategies as st

from mokuji.core.base.errors import MokujiError
from mokuji.core.base.spans import Span
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plans.extract import Wanted, extract
from mokuji.core.refactor.plans.inline import inline
from mokuji.core.syntax.reference import Kind
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


BLOCKS = st.sampled_from(
    [
        "A paragraph with **12 V** and [[Pump]].",
        "Two lines of\n12 V each, [[=Pump]].",
        "- an item\n- another [[Pump|one]]\n\n  - inside",
        "1. first\n2. second with `12 V`",
        "> said by 12 V\n> twice",
        "| a | b |\n|---|---|\n| 12 V | [[Pump]] |",
        "```\n12 V in code\n```",
        "### A heading of 12 V",
        "Words, more words and 12 V.",
    ]
)


@st.composite
def passages(draw: st.DrawFn) -> tuple[str, Span, tuple[tuple[str, str], ...]]:
    """A page, a range of whole blocks or of words of a line, and words in it that become a slot."""
    blocks = draw(st.lists(BLOCKS, min_size=1, max_size=5, unique=True))
    end = draw(st.sampled_from(["\n", "\r\n"]))
    text = ("## Top\n\n" + "\n\n".join(blocks) + "\n").replace("\n", end)
    starts = [8 if end == "\n" else 10]
    for block in blocks:
        starts.append(starts[-1] + len(block.replace("\n", end)) + 2 * len(end))
    first = draw(st.integers(0, len(blocks) - 1))
    last = draw(st.integers(first, len(blocks) - 1))
    span = Span(starts[first], starts[last + 1])
    if draw(st.booleans()):
        words = [Span(*found.span()) for found in re.finditer(r"\w+", span.of(text))]
        one, other = draw(st.sampled_from(words)), draw(st.sampled_from(words))
        span = Span(min(one.start, other.start), max(one.end, other.end)).moved(span.start)
    slots = (("volts", "12 V"),) if draw(st.booleans()) and "12 V" in span.of(text) else ()
    return text, span, slots


def _loosely(html: str) -> str:
    """Whether an item is tight is no difference to readers, nor what a heading is called in addresses."""
    return re.sub(r'</?p>| id="[^"]*"|\s', "", html)


@given(passages())
def test_extract_then_inline_gives_the_same_bytes(
    drawn: tuple[str, Span, tuple[tuple[str, str], ...]],
) -> None:
    text, span, slots = drawn
    wiki = wiki_of({"Guide": {"Host": text, "Pump": "pump"}})
    try:
        plan = extract(wiki, 1, span, Wanted("Taken", True, slots))
    except MokujiError as refusal:
        event(refusal.code)
        # Whole blocks can always be taken.
        assert refusal.code in {"not_extracted", "slot_words"} and text[span.end - 1] not in "\r\n", refusal
        return
    after = {change.title: change.after for change in plan.change_set.changes}
    between = wiki_of({"Guide": {"Host": after["Host"], "Pump": "pump", "Taken": after["Taken"]}})
    # References of a text that was put in are marked without their number, and with their label.
    seen = [re.sub(r"<R\d*:(?:[^=<>]*=)?", "<R:", _said(each)) for each in (between, wiki)]
    assert _loosely(seen[0]) == _loosely(seen[1]), "readers see the same"
    host = between.pages_by_id[1]
    there = next(
        n for n, each in enumerate(host.content.references) if each.name and each.name.key == "taken"
    )
    assert inline(between, 1, there).change_set.changes[0].after == text
