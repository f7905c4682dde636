"""Where readers find the wiki: the one place that addresses begin from.

``MOKUJI_ADDRESS`` says it, such as ``https://host.example/docs``. Everything that is given out holds under its path,
and absolute addresses (feeds, calendars, files for other programs) begin with it, whatever a request says of its host.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from urllib.parse import urlsplit

_PATH = re.compile(r"(?:/[A-Za-z0-9._~-]+)*")


@dataclass(frozen=True, slots=True)
class Site:
    """``origin`` is scheme, host and port (``https://host.example``), ``path`` what the wiki lies under (``/docs``;
    empty: it has the whole host)."""

    origin: str
    path: str = ""

    @classmethod
    def at(cls, address: str) -> Site:
        """The site of an address; ValueError with a sentence if it is none."""
        try:
            parts = urlsplit(address.strip().rstrip("/"))
            port = f":{parts.port}" if parts.port else ""
        except ValueError:
            parts, port = urlsplit(""), ""
        if parts.scheme not in {"http", "https"} or not parts.hostname or parts.query or parts.fragment:
            raise ValueError(
                f"“{address}” is no address that readers can open. Write it with its scheme and host, such as "
                "https://host.example/docs."
            )
        if parts.username is not None or not _PATH.fullmatch(parts.path):
            raise ValueError(
                f"“{address}” has a path or a user that the address of a wiki cannot have. Its path has letters, "
                "digits, hyphens and dots."
            )
        host = f"[{parts.hostname}]" if ":" in parts.hostname else parts.hostname
        return cls(f"{parts.scheme}://{host}{port}", parts.path)

    @property
    def secure(self) -> bool:
        """Whether it is reached by HTTPS."""
        return self.origin.startswith("https:")

    @property
    def host(self) -> str:
        """The name of its host."""
        return urlsplit(self.origin).hostname or ""

    def inside(self, path: str) -> str | None:
        """A path of the host as a path within the wiki; None if it is outside."""
        if not self.path:
            return path
        if path == self.path or path.startswith(f"{self.path}/"):
            return path[len(self.path) :] or "/"
        return None


NOWHERE = Site("http://localhost")
_here: ContextVar[Site] = ContextVar("site", default=NOWHERE)


def here() -> Site:
    """The site that is asked at this moment."""
    return _here.get()


@contextmanager
def asked(site: Site) -> Iterator[None]:
    """Lets all addresses that are made within begin at a site."""
    token = _here.set(site)
    try:
        yield
    finally:
        _here.reset(token)


def link(path: str) -> str:
    """What leads to a path of the wiki (``/…``) from any page of it."""
    return _here.get().path + path


def absolute(path: str) -> str:
    """The whole address of what ``link`` gave."""
    return _here.get().origin + path
