"""What comes from outside is read by a process that can be killed, that loads nothing, and that spoils nothing else."""

from __future__ import annotations

import http.server
import json
import random
import signal
import struct
import subprocess
import sys
import threading
import time
import zlib
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from mokuji.core.base.errors import BadFile, BadText, MokujiError, TooMany
from mokuji.core.html import code
from mokuji.core.model.sources import fault_of, formatted, is_web_address
from mokuji.formats import apart, bibliography, media, skos
from tests.outside.test_media import picture


@pytest.fixture
def asked() -> Iterator[list[str]]:
    """The addresses that are fetched of a server on loopback."""
    found: list[str] = []

    class Handler(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            found.append(self.path)
            self.send_response(200)
            self.end_headers()
            self.wfile.write(b'{"@context": {}}')

        def log_message(self, *_: object) -> None: ...

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    found.append(f"http://127.0.0.1:{server.server_port}")
    yield found
    server.shutdown()
    server.server_close()


CONTEXTS = [
    "ADDRESS/a",
    ["ADDRESS/a"],
    [["ADDRESS/a"]],
    [[[{}, ["ADDRESS/a"]]]],
    [{}, {"@import": "ADDRESS/a"}],
    {"term": {"@id": "urn:t", "@context": [["ADDRESS/a"]]}},
    {"term": {"@id": "urn:t", "@context": {"@propagate": False, "@import": "ADDRESS/a"}}},
    "file:///etc/hostname",
    [["file:///etc/hostname"]],
    "/etc/hostname",
]


@pytest.mark.parametrize("context", CONTEXTS, ids=json.dumps)
@pytest.mark.parametrize("within", ["top", "node", "graph"])
def test_no_context_is_ever_fetched(asked: list[str], context: object, within: str) -> None:
    context = json.loads(json.dumps(context).replace("ADDRESS", asked[0]))
    node = {"@id": "urn:a", "@type": "http://www.w3.org/2004/02/skos/core#Concept", "term": "x"}
    told: dict[str, object] = {"@context": context, **node}
    if within == "node":
        told = {**node, "urn:b": [{"@context": context, "@id": "urn:c"}]}
    if within == "graph":
        told = {"@graph": [[{"@context": [context], **node}]]}
    with pytest.raises(BadText, match="nothing is fetched") as refused:
        skos.read(json.dumps(told), "json-ld")
    assert asked[1:] == [] and "hostname" not in refused.value.message


def test_the_reader_itself_refuses_what_the_look_before_it_would_miss(asked: list[str]) -> None:
    from rdflib import Graph

    data = json.dumps({"@context": f"{asked[0]}/a", "@id": "urn:a"})
    with pytest.raises(BadText, match="nothing is fetched"):
        Graph().parse(data=data, format="json-ld")
    assert asked[1:] == []


@pytest.mark.parametrize(
    "told",
    [
        "@prefix a: <ADDRESS/a#> . a:x a:y <file:///etc/hostname> .",
        "<urn:a> <http://www.w3.org/2002/07/owl#imports> <ADDRESS/a> .",
    ],
)
def test_turtle_loads_nothing_either(asked: list[str], told: str) -> None:
    assert skos.read(told.replace("ADDRESS", asked[0]), "turtle") == [] and asked[1:] == []


def test_deep_json_is_refused_in_words() -> None:
    with pytest.raises(BadText, match="no JSON"):
        skos.read("[" * 200_000, "json-ld")
    with pytest.raises(BadFile, match="cannot be read as JSON"):
        bibliography.read(b"[" * 200_000)


@pytest.mark.parametrize("sort", ["imports", "pictures"])
def test_a_child_opens_no_file_and_no_connection_once_it_is_ready(sort: str) -> None:
    """Asked of the process itself: what it may open is bounded by the system, whatever runs in it."""
    apart.do(
        {"imports": "bibliography", "pictures": "recognise"}[sort],
        {"name": ""},
        b"@book{a, title={B}}",
        seconds=20,
    )
    process = apart._children[sort].process  # type: ignore[index]
    assert process is not None
    limits = Path(f"/proc/{process.pid}/limits").read_text()
    (line,) = (line for line in limits.splitlines() if line.startswith("Max open files"))
    assert line.split()[3:5] == ["3", "3"]
    assert len(list(Path(f"/proc/{process.pid}/fd").iterdir())) <= 3


def test_what_takes_too_long_is_killed_and_the_next_is_done() -> None:
    text = "x = " + "(" * 20_000
    before = apart.do("colour", {"language": "python"}, b"a = 1", seconds=20)
    with pytest.raises(apart.OverTime, match="longer than"):
        apart.do("colour", {"language": "amdgpu"}, b"a" * 20_000, seconds=0.2)
    assert apart.do("colour", {"language": "python"}, b"a = 1", seconds=20) == before
    assert apart.do("colour", {"language": "python"}, text.encode(), seconds=20)


def test_code_that_takes_too_long_is_plain_and_a_page_full_of_it_holds_nobody_up(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(apart, "_killed", [])
    code.forget()
    begun = time.monotonic()
    hostile = [apart.colour("a" * (12_000 + n), "amdgpu") for n in range(30)]
    assert hostile == [None] * 30
    assert len(apart._killed) == apart.FEW_KILLED
    # Each of the few is given about a second, so thirty of them would take half a minute.
    assert time.monotonic() - begun < 20
    monkeypatch.setattr(apart, "_killed", [])
    assert apart.colour("def a(): pass", "python") == code.colour_here("def a(): pass", "python")


def test_a_child_that_dies_is_started_again() -> None:
    apart.do("colour", {"language": "python"}, b"a", seconds=20)
    process = apart._children["code"].process
    assert process is not None
    process.kill()
    process.wait()
    assert apart.do("colour", {"language": "python"}, b"a", seconds=20)[0]["coloured"]


def test_who_finds_no_room_to_wait_is_told_so(monkeypatch: pytest.MonkeyPatch) -> None:
    with ThreadPoolExecutor(40) as pool:
        waiting = [
            pool.submit(apart.do, "colour", {"language": "amdgpu"}, b"a" * 20_000, seconds=0.3)
            for _ in range(40)
        ]
        said = [each.exception() for each in waiting]
    assert sum(isinstance(each, TooMany) for each in said) >= 40 - apart.WAITING["code"] - 1 - 5
    assert all(isinstance(each, MokujiError) for each in said)


# ---- pictures -----------------------------------------------------------------------------


def _flat_png(width: int, height: int) -> bytes:
    """A picture of one colour: a few bytes that stand for many (PNG specification, 1 bit grey)."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack("!I", len(data)) + kind + data + struct.pack("!I", zlib.crc32(kind + data))

    rows = zlib.compress((b"\0" + bytes((width + 7) // 8)) * height, 9)
    head = struct.pack("!IIBBBBB", width, height, 1, 0, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


def test_a_small_file_of_a_large_picture_asked_for_many_times_takes_the_memory_of_one() -> None:
    data = _flat_png(7_700, 7_700)
    assert len(data) < 10_000

    def smaller(n: int) -> bytes | None:
        try:
            return media.at_width(data, 320 + n)
        except TooMany:
            return None  # on a busy machine some are told to come back; this is about memory

    with ThreadPoolExecutor(8) as pool:
        made = list(pool.map(smaller, range(8)))
    assert any(each is not None for each in made)
    assert all(each is None or len(each) < len(data) for each in made)
    process = apart._children["pictures"].process
    assert process is not None
    status = Path(f"/proc/{process.pid}/status").read_text()
    peak = next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmHWM"))
    assert peak < 900_000  # kB


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "GIF", "WEBP", "AVIF"])
def test_broken_pictures_are_refused_or_shown_as_they_are_and_never_a_fault(kind: str) -> None:
    whole = picture(kind, (60, 40))
    chance = random.Random(kind)
    for _ in range(25):
        data = bytearray(whole)
        for _ in range(chance.randrange(1, 30)):
            data[chance.randrange(12, len(data))] = chance.randrange(256)
        broken = bytes(data[: chance.randrange(20, len(data))] if chance.random() < 0.5 else data)
        try:
            media.recognise(broken, "a")
        except BadFile as fault:
            assert fault.message
        assert media.at_width(broken, 20) is None or kind


@pytest.mark.parametrize(
    "encoding", ["utf-7", "none-such", "rot13", "zip", "unicode_escape", "idna", "utf-16"]
)
def test_a_drawing_in_an_odd_encoding_is_refused_in_words(encoding: str) -> None:
    data = f'<?xml version="1.0" encoding="{encoding}"?><svg xmlns="http://www.w3.org/2000/svg"/>'.encode()
    with pytest.raises(BadFile, match=r"cannot be read|cannot be kept|none of the types"):
        media.recognise(data, "a.svg")


# ---- sources -------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "data",
    [
        b"\n" * 60_000 + b"@book{a, title={B}}",
        b"\r\n" * 60_000 + b"@book{a, title={B}}",
        b" \n" * 60_000 + b"@ book {a, title={B}}",
        b"@book{a, title={" + b"{" * 50_000 + b"}}",
        b"@" * 50_000 + b"book{a, title={B}}",
        b"@book{a, title={B}}\n" + b"@comment{" * 20_000,
    ],
)
def test_a_list_of_sources_is_read_or_given_up_in_its_time(
    data: bytes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bibliography, "SECONDS", 3.0)
    begun = time.monotonic()
    try:
        bibliography.read(data)
    except MokujiError as fault:
        assert fault.message
    assert time.monotonic() - begun < 3.0 + 5


BAD = [
    {"title": "Half\ud800"},
    {"title": "NUL\0"},
    {"title": "Deep", "note": json.loads("[" * 40 + "]" * 40)},
    {"title": "Far", "volume": 10**400},
    {"title": "Endless", "volume": float("inf")},
    {"title": "None", "issued": {"date-parts": [[float("nan")]]}},
]


@pytest.mark.parametrize("bad", BAD, ids=lambda each: each["title"][:4])
def test_one_source_that_cannot_be_kept_is_left_out_and_the_others_come(bad: dict[str, object]) -> None:
    read = bibliography.read(
        json.dumps([{"id": "a", "title": "A"}, {"id": "b", **bad}, {"id": "c", "title": "C"}]).encode()
    )
    assert [name for name, _ in read.items] == ["a", "c"]
    assert len(read.problems) == 1 and fault_of(bad)
    for words in read.problems:
        words.encode()


def test_a_source_with_a_wrong_address_comes_without_it() -> None:
    read = bibliography.read(b"@misc{manual, title={M}, url={http://[2001:db8::1/manual}}")
    assert read.items == (("manual", {"type": "document", "title": "M"}),)
    assert "without its address" in read.problems[0]


@pytest.mark.parametrize(
    ("address", "fits"),
    [
        ("https://docs.example/a?b=c#d", True),
        ("http://[2001:db8::1]:8080/manual", True),
        ("HTTPS://docs.example", True),
        ("http://[2001:db8::1/manual", False),
        ("http://[v1.x]/", False),
        ("http://docs.example:99999/", False),
        ("http://docs.example:0/", False),
        ("http://", False),
        ("http:///a", False),
        ("https://a b", False),
        ("javascript:alert(1)", False),
        ('https://a"onclick=', False),
        ("https://" + "a" * 3_000, False),
    ],
)
def test_addresses_are_held_to_a_parser_that_says_no(address: str, fits: bool) -> None:
    assert is_web_address(address) is fits


ODD: list[object] = [
    {"title": "T", "URL": "http://[2001:db8::1/manual"},
    {"title": "T", "URL": 7, "author": "Quist", "issued": "2021"},
    {"title": "T\0", "author": [None, 3, {"family": []}], "page": {"a": 1}},
    {"title": ["T"], "issued": {"date-parts": [["1" * 9000, {}]]}},
    {
        "title": "T",
        "issued": {"date-parts": [[2021, 99, 99]]},
        "accessed": {"date-parts": 4},
        "URL": "https://a.example",
    },
    {},
    "no source at all",
]


@pytest.mark.parametrize("item", ODD, ids=str)
def test_what_was_kept_before_it_was_looked_at_reads_as_far_as_it_can(item: object) -> None:
    said = formatted(item)  # type: ignore[arg-type]
    assert said.endswith(".") and "\0" not in said
    said.encode()


def test_a_key_that_ends_the_server_is_not_for_its_workers() -> None:
    """Ctrl-C goes to all processes of a terminal: a worker ends with its input, without a word."""
    command = [sys.executable, "-m", "mokuji.formats.apart_worker", "code", str(apart.MEMORY["code"])]
    with subprocess.Popen(
        command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE
    ) as worker:
        assert worker.stdin is not None and worker.stdout is not None and worker.stderr is not None
        assert apart.receive(worker.stdout)[0] == {"ready": True}
        worker.send_signal(signal.SIGINT)
        time.sleep(0.2)
        assert worker.poll() is None
        worker.stdin.close()
        assert worker.wait(20) == 0 and worker.stderr.read() == b""
