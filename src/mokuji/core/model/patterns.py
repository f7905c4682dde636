"""What a new page can begin with: the topic types of OASIS DITA, and pages that a volume keeps as patterns.

The sections are those of the elements of DITA 1.3's topic types: conbody;
taskbody with prereq, context, steps, result and postreq; refbody with
properties and example (from memory). ``#{…}`` is a place to fill in.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from types import MappingProxyType

from mokuji.core.edit.front_edit import scalar
from mokuji.core.language.page import Page

FIELD = "pattern"
"""The name in the front matter of a page that is a pattern; its value says yes, or what it is for."""

BUILT_IN: Mapping[str, str] = MappingProxyType(
    {
        "concept": """---
summary: #{what it is, in a sentence}
---
#{What it is, and why readers need to know.}

## How it works

#{}

## What to keep in mind

- #{}
""",
        "task": """---
summary: #{what is reached, in a sentence}
---
#{When this is done, and what for.}

## Before you begin

- #{what must be there}

## Steps

1. #{One act.}
2. #{}

## Result

#{What you see when it is done.}

## What comes next

#{}
""",
        "reference": """---
summary: #{what is listed here}
---
#{What these values belong to.}

## Properties

| Name | Value | Meaning |
|---|---|---|
| #{} | #{} | #{} |

## Example

#{}
""",
    }
)
"""Text by name."""
_HINT = re.compile(r"#\{([^{}]*)\}")
_TOLD = ("pattern", "summary", "aliases", "gives", "template", "slots")
"""What the front matter of a pattern says of the pattern itself."""


def plain(text: str) -> str:
    """A text of ours with its places to fill in empty: for who has no scripts."""
    return _HINT.sub("", text)


def begun_from(pattern: Page) -> str:
    """The text that a new page begins with: the pattern's own, without what its front matter says of itself. What the
    pattern ``gives`` becomes the new page's categories."""
    front = pattern.content.front_matter
    body = pattern.text[front.span.end :].lstrip("\ufeff")
    kept = [f"{name}: {_value(said)}" for name, said in front.fields.items() if name not in _TOLD]
    given = front.names("gives")
    if given and "categories" not in front.fields:
        kept.append(f"categories: [{', '.join(scalar(each) for each in given)}]")
    fields = "".join(f"{line}\n" for line in ["summary: ", *[each for each in kept if each]])
    return f"---\n{fields}---\n{body}".replace("\r\n", "\n")


def _value(said: object) -> str:
    """A value of the front matter on one line; what is nested is left out."""
    if isinstance(said, list):
        return (
            "["
            + ", ".join(
                scalar(" ".join(str(each).split())) for each in said if not isinstance(each, (list, dict))
            )
            + "]"
        )
    return "" if isinstance(said, dict) else scalar(" ".join(str(said).split()))
