"""The house style of a volume: its rules as a form, words that it learns, corrections for the desk."""

from __future__ import annotations

from typing import Any

from fastapi.responses import JSONResponse, Response

from mokuji import routing
from mokuji.core.base.errors import MokujiError, Refused
from mokuji.core.style.style import (
    AVOID,
    HEADINGS,
    LONGEST_SENTENCE,
    LONGEST_STEP,
    NAMES,
    SENTENCE,
    SPELLING,
    STEP,
    TITLES,
    USE,
    WORDS,
    Style,
    read_style,
)
from mokuji.services.reading import house_styles
from mokuji.services.reading.house_styles import StyleView
from mokuji.statuses import status_of
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, refusal, see

router = routing.router()


@router.get("/-/style/{volume}")
def style(who: Who, volume: str, saved: bool = False) -> Response:
    """The rules of a volume: to be changed by its owners, to be read by all."""
    view = house_styles.open_style(who.app, who.actor, volume)
    return _page(who, view, _typed(view.style), revision=view.stored.revision, saved=saved)


def _page(
    who: Visitor,
    view: StyleView,
    typed: dict[str, str],
    *,
    revision: int,
    saved: bool = False,
    fault: MokujiError | None = None,
) -> Response:
    status = status_of(fault) if fault else 200
    return who.page(
        "style.html",
        status,
        view=view,
        place=view.place,
        typed=typed,
        revision=revision,
        saved=saved,
        fault=fault,
        proposed={"step": LONGEST_STEP, "sentence": LONGEST_SENTENCE},
        lit="upkeep",
    )


def _typed(style: Style) -> dict[str, str]:
    """A style as the fields of the form hold it."""
    return {
        "headings": style.headings,
        "titles": style.titles,
        "names": "\n".join(style.names),
        "step": str(style.step or ""),
        "sentence": str(style.sentence or ""),
        "preferred": "\n".join(f"{p.use or AVOID}: {', '.join(p.instead)}" for p in style.preferred),
        "spelling": style.spelling,
        "words": "\n".join(style.words),
    }


@router.post("/-/style/{volume}")
def save_style(who: Who, form: Form, volume: str) -> Response:
    """Saves the rules. On any fault the form comes back with everything that was typed."""
    revision = form.get("revision", "")
    seen = int(revision) if revision.isdecimal() and len(revision) < 10 else 0
    try:
        new = _read(form)
        house_styles.set_style(who.app, who.actor, volume, new, revision=seen)
    except MokujiError as fault:
        if fault.code == "volume_missing":
            raise
        view = house_styles.open_style(who.app, who.actor, volume)
        typed = {**dict.fromkeys(_typed(Style()), ""), **form}
        return _page(who, view, typed, revision=seen, fault=fault)
    return see(addresses.style(volume, saved=1))


def _read(form: dict[str, str]) -> Style:
    """The style that a form holds; Refused with what is wrong in it."""
    use: dict[str, list[str]] = {}
    for number, line in enumerate(form.get("preferred", "").splitlines(), 1):
        words, colon, instead = line.partition(":")
        if not line.strip():
            continue
        listed = [each.strip() for each in instead.split(",") if each.strip()]
        if not colon or not words.strip() or not listed:
            raise Refused(
                f"Line {number} of the preferred words, “{line.strip()[:60]}”, is none: write the words to use, a "
                f"colon, and those that they replace; or {AVOID} before the colon.",
                code="style",
            )
        use.setdefault(words.strip(), []).extend(listed)
    fields: dict[str, Any] = {
        HEADINGS: form.get("headings", ""),
        TITLES: form.get("titles", ""),
        NAMES: form.get("names", "").splitlines(),
        STEP: form.get("step", ""),
        SENTENCE: form.get("sentence", ""),
        USE: use,
        SPELLING: form.get("spelling", ""),
        WORDS: form.get("words", "").splitlines(),
    }
    style, problems = read_style(fields)
    if problems:
        raise Refused(" ".join(problems), code="style")
    return style


@router.post("/-/style-learn/{volume}")
def learn(who: Who, form: Form, volume: str) -> Response:
    """Takes a word into the volume's own words, or a name into its names, for the desk and the report."""
    try:
        sort = "name" if form.get("sort") == "name" else "word"
        house_styles.learn(who.app, who.actor, volume, sort, form.get("word", ""))  # type: ignore[arg-type]
    except MokujiError as fault:
        if "back" in form:
            raise
        return refusal(fault)
    if "back" in form:
        return see(addresses.upkeep(volume, "style"))
    return JSONResponse({"learnt": form.get("word", "")})


@router.post("/-/corrections/{volume}")
def corrections(who: Who, form: Form, volume: str) -> Response:
    """For words (one a line) that no dictionary knows: what may be meant, the likeliest first."""
    found = house_styles.corrections(who.app, who.actor, volume, form.get("words", "").splitlines())
    return JSONResponse(found)
