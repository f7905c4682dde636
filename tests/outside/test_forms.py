"""Every address and every form of the web pages with odd values: an answer in words, never a fault of the program.

Routes are taken from the application, forms from its own pages, as a stranger would find them.
"""

from __future__ import annotations

import html
import os
import random
import re
from dataclasses import dataclass
from html.parser import HTMLParser
from urllib.parse import parse_qsl, quote, urlencode, urlsplit

import pytest
from fastapi import FastAPI

from mokuji.services.app_context import AppContext
from mokuji.web.routes.acts import ON_PAGES, ON_VOLUMES
from tests.application import TestClient, application, routes_of
from tests.web.conftest import token

ROUNDS = int(os.environ.get("MOKUJI_FORM_ROUNDS", "1"))
"""How many odd values each form gets in turn; `bin/test --long` takes many."""
ODD = [
    "",
    " ",
    "None",
    "-1",
    "0",
    "99999999999999999999999",
    "1e9",
    "٣",
    "²",
    "NaN",
    "true",
    "a" * 300,
    "a/b",
    "/",
    "//",
    "..",
    "../../etc/passwd",
    "[[",
    "]]",
    "[[a|b#c]]",
    "#",
    "|",
    "\\",
    "%",
    "%s",
    "{}",
    "${a}",
    "<b>",
    "'\"`",
    "\t\n\r",
    "\u202e\u200b\ufeff",
    "\ud800",
    "\x00",
    "\x7f\x1b",
    "é\u0301",
    "ǅ",
    "İ",
    "ﬃ",
    "😀" * 60,
    "-",
    "_",
    "---",
    "2026-02-30",
    "-1-2-3",
    "1-2-3-4",
    "=cmd|' /C calc'!A0",
    "no such page",
    "Battery well",
    "battery-well",
    "Field guide",
    "field-guide",
    "bench-notes",
]
PARAMETERS = {
    "volume": ["tern-4-service-manual", "field-guide", "bench-notes", "no-such"],
    "page": ["battery-well", "power", "no-such-page", "Not there"],
    "name": ["sections", "flaws.csv", "sources", "gel-handbook", "battery-well.svg"],
    "act": ["rename", "merge", "move", "split", "delete", "no-such"],
    "file": ["battery-well.svg", "none.png"],
    "number": ["1", "2", "999999"],
    "token": ["x"],
}
EXPECTED = {
    200,
    201,
    204,
    303,
    304,
    307,
    308,
    400,
    401,
    403,
    404,
    405,
    409,
    412,
    413,
    415,
    421,
    422,
    428,
    429,
}


@dataclass(frozen=True)
class Form:
    method: str
    action: str
    fields: tuple[tuple[str, str], ...]


class _Forms(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.found: list[Form] = []
        self._open: tuple[str, str, list[tuple[str, str]]] | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        told = {name: value or "" for name, value in attrs}
        if tag == "form":
            self._open = (told.get("method", "get").lower(), told.get("action", ""), [])
        elif self._open is not None and told.get("name"):
            self._open[2].append((told["name"], told.get("value", "")))

    def handle_endtag(self, tag: str) -> None:
        if tag == "form" and self._open is not None:
            method, action, fields = self._open
            self.found.append(Form(method, action, tuple(fields)))
            self._open = None


@pytest.fixture
def app(demo_app: AppContext) -> FastAPI:
    return application(demo_app)


@pytest.fixture
def visitors(app: FastAPI) -> dict[str, TestClient]:
    """Nobody, a writer, and somebody who owns a volume."""
    found: dict[str, TestClient] = {}
    for handle in ("", "jonas", "wenna"):
        client = TestClient(
            app, raise_server_exceptions=False, base_url="http://mokuji.test", follow_redirects=False
        )
        if handle:
            fields = {"token": token(client), "handle": handle, "password": "buoy"}
            assert client.post("/-/sign-in", data=fields).status_code == 303
        found[handle] = client
    return found


def _encoded(words: str) -> str:
    return quote(words.encode("utf-8", "surrogatepass"), safe="")


def test_every_address_answers_odd_values_in_words(app: FastAPI, visitors: dict[str, TestClient]) -> None:
    chance = random.Random(1)
    routes = [(m, p) for m, p in routes_of(app) if not p.startswith("/api/")]
    assert len(routes) > 80
    faults = []
    for method, path in routes:
        for turn in range(3 * ROUNDS):
            address = path
            for parameter in re.findall(r"{(\w+)(?::\w+)?}", path):
                value = chance.choice(PARAMETERS.get(parameter, ["x"]) if turn % 2 else ODD)
                address = re.sub(rf"{{{parameter}(:\w+)?}}", _encoded(value).replace("\\", "%5C"), address)
            query = "&".join(
                f"{name}={_encoded(chance.choice(ODD))}"
                for name in chance.sample(
                    ["after", "before", "page", "words", "typed", "title", "to", "into", "only", "start", "end",
                     "revision", "older", "newer", "number", "volume", "person", "day", "rows", "section", "w", "form"],
                    4,
                )
            )  # fmt: skip
            client = visitors[chance.choice(list(visitors))]
            if method == "GET":
                done = client.get(f"{address}?{query}")
            else:
                fields = [(name, value) for name, value in parse_qsl(query, keep_blank_values=True)]
                fields += [("token", token(client))]
                done = client.request(
                    method,
                    address,
                    content=urlencode(fields, errors="replace"),
                    headers={"Content-Type": "application/x-www-form-urlencoded"},
                )
            if done.status_code not in EXPECTED:
                faults.append(f"{method} {address}?{query} → {done.status_code}")
    assert faults == [], "\n".join(faults)


PAGES = [
    "/",
    "/-/new-volume",
    "/tern-4-service-manual/battery-well",
    "/field-guide/no-such-page",
    "/-/edit/tern-4-service-manual/battery-well",
    "/-/edit/tern-4-service-manual/new-page",
    "/-/find?words=well",
    "/-/files/tern-4-service-manual",
    "/-/about-file/tern-4-service-manual/battery-well.svg",
    "/-/sources",
    "/-/source/quist-2021",
    "/-/new-source",
    "/-/tasks",
    "/-/trash",
    "/-/drafts",
    "/-/style/tern-4-service-manual",
    "/-/fields/tern-4-service-manual?show=owner",
    "/-/category/tern-4-service-manual/sensors",
    "/-/categories/tern-4-service-manual",
    "/-/uses/parts-and-data/safety-notice",
    "/-/upkeep/tern-4-service-manual/look-alikes",
    "/-/upkeep/tern-4-service-manual/style",
    "/-/upkeep/tern-4-service-manual/mentions",
    *(
        f"/-/plan/{act}/tern-4-service-manual/battery-well"
        for act in (
            "rename",
            "place",
            "move",
            "merge",
            "split",
            "delete",
            "aliases",
            "join",
            "section",
            "link",
        )
    ),
    *(
        f"/-/volume/{act}/tern-4-service-manual"
        for act in ("rename", "libraries", "delete", "contents", "outline")
    ),
    "/-/plan/rename/field-guide/no-such-page",
    "/-/plan/merge/field-guide/no-such-page",
    "/-/plan/slot/parts-and-data/safety-notice",
    "/-/plan/value/parts-and-data/safety-notice",
    "/-/plan/file-rename/tern-4-service-manual/battery-well.svg",
    "/-/plan/source-delete/tern-4-service-manual/quist-2021",
    "/-/plan/person-rename/tern-4-service-manual/wenna",
]


def test_every_form_answers_odd_values_in_words(visitors: dict[str, TestClient]) -> None:
    """Each field in turn holds something odd, the others what stood there; the last page is asked again behind it."""
    chance = random.Random(2)
    client = visitors["wenna"]
    forms: dict[tuple[str, str, tuple[str, ...]], Form] = {}
    for address in PAGES:
        reader = _Forms()
        reader.feed(client.get(address).text)
        for form in reader.found:
            action = form.action or address
            path = urlsplit(action).path
            if "/-/sign" in path:
                continue
            names = tuple(name for name, _ in form.fields)
            forms.setdefault((form.method, path, names), Form(form.method, action, form.fields))
    assert len(forms) > 40
    faults = []
    for form in forms.values():
        changed = {name for name, _ in form.fields} - {"token"}
        for name in sorted(changed):
            for odd in chance.sample(ODD, min(len(ODD), 2 * ROUNDS)):
                fields = [(n, odd if n == name else v) for n, v in form.fields]
                if chance.random() < 0.2:
                    fields = [field for field in fields if field[0] != name]
                words = "&".join(f"{quote(n)}={_encoded(v)}" for n, v in fields)
                if form.method == "post":
                    done = client.post(
                        form.action,
                        content=words,
                        headers={"Content-Type": "application/x-www-form-urlencoded"},
                    )
                else:
                    done = client.get(f"{urlsplit(form.action).path}?{words}")
                if done.status_code not in EXPECTED:
                    faults.append(f"{form.method} {form.action} {name}={odd!r} → {done.status_code}")
    assert faults == [], "\n".join(faults)


def test_a_fault_is_answered_whatever_was_typed(visitors: dict[str, TestClient]) -> None:
    client = visitors[""]
    for words in ODD:
        done = client.get(f"/-/find?words={_encoded(words)}")
        assert done.status_code in EXPECTED and html.unescape(done.text)


@pytest.mark.parametrize("page", ["no-such-page", "", "battery-well", "bilge%20switch", ".."])
def test_every_act_on_a_page_that_is_not_there_or_without_its_answer_is_answered_in_words(
    visitors: dict[str, TestClient], page: str
) -> None:
    client = visitors["wenna"]
    sent = {"token": token(client)}
    faults = []
    answers: list[dict[str, str]] = [
        {},
        {"digest": "x"},
        {
            "digest": "x",
            "title": "Y",
            "to": "Power",
            "into": "Power",
            "after": "last",
            "of": "Power",
            "slot": "a",
        },
    ]
    for method in ("get", "post"):
        places = [f"/-/plan/{act}/tern-4-service-manual/{page}" for act in ON_PAGES]
        places += [f"/-/volume/{act}/tern-4-service-manual" for act in ON_VOLUMES if act != "delete"]
        for address in places:
            for fields in answers:
                if method == "get":
                    done = client.get(address, params=fields)
                else:
                    done = client.post(address, data={**fields, **sent})
                if done.status_code not in EXPECTED:
                    faults.append(f"{method} {address} {fields} → {done.status_code}")
    assert faults == [], "\n".join(faults)


def test_the_plan_of_a_page_that_was_renamed_meanwhile_is_found_at_its_new_address(
    visitors: dict[str, TestClient],
) -> None:
    client = visitors["wenna"]
    address = "/-/plan/rename/tern-4-service-manual/battery-well"
    seen = re.search(r'name="digest" value="(\w+)"', client.get(f"{address}?title=Cell+well").text)
    assert seen is not None
    fields = {"token": token(client), "title": "Cell well", "digest": seen[1]}
    assert client.post(address, data=fields).status_code == 303
    for done in (client.get(f"{address}?title=X"), client.post(address, data={**fields, "title": "X"})):
        assert done.status_code == 303
        assert done.headers["location"] == "/-/plan/rename/tern-4-service-manual/cell-well?title=X"
    assert client.get("/-/plan/rename/tern-4-service-manual/never-there").status_code == 404
