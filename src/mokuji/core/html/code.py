"""Code in colours: what Pygments reads, in the few sorts that a reader tells apart.

The classes are our own and few (``_SORTS``), so a page stays small and all
languages look alike; what a sort looks like is for the style sheet.
"""

from __future__ import annotations

import html
from collections.abc import Callable
from functools import lru_cache

from pygments.lexer import Lexer
from pygments.lexers import get_lexer_by_name
from pygments.token import Comment, Generic, Keyword, Literal, Name, Operator, _TokenType
from pygments.util import ClassNotFound

LONGEST = 20_000
"""Maximum number of code points that are coloured; the lexers of some languages take long for more."""
_SORTS = {
    Comment: "remark",
    Comment.Preproc: "word",
    Keyword: "word",
    Keyword.Constant: "value",
    Operator.Word: "word",
    Literal.String: "string",
    Literal.Number: "value",
    Name.Attribute: "key",
    Name.Tag: "key",
    Name.Builtin: "known",
    Name.Function: "known",
    Name.Class: "known",
    Name.Decorator: "known",
    Name.Variable: "key",
    Name.Constant: "value",
    Generic.Deleted: "gone",
    Generic.Inserted: "new",
    Generic.Heading: "remark",
    Generic.Subheading: "remark",
    Generic.Prompt: "remark",
    Generic.Output: "remark",
    Generic.Error: "gone",
}


@lru_cache(maxsize=256)
def _lexer(language: str) -> Lexer | None:
    try:
        return get_lexer_by_name(language, stripnl=False, ensurenl=False)
    except ClassNotFound:
        return None


@lru_cache(maxsize=4096)
def _sort(token: _TokenType | None) -> str:
    while token is not None:
        if token in _SORTS:
            return _SORTS[token]
        token = token.parent
    return ""


Colour = Callable[[str, str], str | None]
"""Makes HTML of code in a language, or nothing where it stays plain."""


def colour_here(code: str, language: str) -> str | None:
    """Code as HTML with ``span`` by sort; None for a language that is not known, for very long code, and where a lexer
    would lose some of it. Some lexers take time that grows with the square of the code, or worse."""
    lexer = _lexer(language.lower()) if language and len(code) <= LONGEST else None
    if lexer is None:
        return None
    tokens = list(lexer.get_tokens(code))
    if "".join(text for _, text in tokens) != code:
        return None
    out: list[str] = []
    last, run = "", ""
    for token, text in tokens:
        sort = _sort(token)
        if sort != last and run:
            out.append(_piece(last, run))
            run = ""
        last = sort
        run += text
    out.append(_piece(last, run))
    return "".join(out)


_by: list[Colour] = [colour_here]


def colour_by(colour: Colour) -> None:
    """Has code coloured by somebody else from now on: a server has it done where it can be stopped."""
    _by[:] = [colour]


@lru_cache(maxsize=512)
def _lately(code: str, language: str, colour: Colour) -> str | None:
    return colour(code, language)


def forget() -> None:
    """Forgets what was coloured."""
    _lately.cache_clear()


def coloured(code: str, language: str) -> str | None:
    """Code as HTML with ``span`` by sort, as ``colour_here`` says; what was coloured lately is remembered."""
    if not language or len(code) > LONGEST or _lexer(language.lower()) is None:
        return None
    return _lately(code, language, _by[0])


def _piece(sort: str, text: str) -> str:
    words = html.escape(text, quote=False)
    return f'<span class="c-{sort}">{words}</span>' if sort and text.strip() else words
