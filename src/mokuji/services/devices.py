"""What a program that signs in says of itself, in a few words that its owner knows again."""

from __future__ import annotations

LONGEST = 80
"""Maximum number of code points of a device as it is kept."""
LONGEST_AGENT = 300
"""Of what a program says of itself no more is looked at: many expressions go over it."""


def device_of(agent: str) -> str:
    """“Browser on system” of a ``User-Agent`` (RFC 9110, 10.1.5), or the program that it names; empty if it says
    nothing."""
    # It reads its rules when it is imported, which only a sign-in needs.
    from ua_parser import parse

    said = "".join(each for each in agent[:LONGEST_AGENT] if each.isprintable())
    found = parse(said).with_defaults()
    browser, system = found.user_agent.family, found.os.family
    if browser in {"", "Other"} or "mozilla/" not in said.casefold():
        return said.partition(" ")[0].partition("/")[0][:LONGEST]
    return (browser if system in {"", "Other"} else f"{browser} on {system}")[:LONGEST]
