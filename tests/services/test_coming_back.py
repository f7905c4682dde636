"""A volume that was taken away as a folder comes back as a plan: done as one change set, taken back as one."""

from __future__ import annotations

import io
import json
import os
import unicodedata
import zipfile
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import pytest
from PIL import Image

from mokuji.acts import doing, requests
from mokuji.acts.view import Applied
from mokuji.core.base.errors import BadFile, BadRequest, Forbidden, Missing, MokujiError, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.folders import brought, checking, exporting, folder_plan
from mokuji.services.looking_back import trash
from mokuji.services.reading import reading as reading_service
from mokuji.services.writing import files, sources, writing
from mokuji.store import volumes
from mokuji.store.database import reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.places import placing
from mokuji.store.snapshot import load_volumes
from tests.services.making import pages, person, texts, volume
from tests.services.on_folders import planned, section
from tests.services.test_exporting import _state as state_of


def picture(shade: int) -> bytes:
    made = io.BytesIO()
    Image.new("L", (3, 3), shade).save(made, "PNG")
    return made.getvalue()


@pytest.fixture
def owner(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Other")
    owner = person(app, "ada", guide=Role.OWNER, other=Role.OWNER)
    pages(
        app,
        owner,
        "guide",
        {
            "Pump": "---\ncategories: [Parts]\n---\nThe pump.\n\nIt pumps.\n",
            "Valve": "See [[Pump]].\n\n![](valve.png)\n\nCloses.\n",
            "A/B": "Both. [^gale-2019]\n",
            "Old": "Goes.\n",
        },
    )
    pages(app, owner, "other", {"Elsewhere": "[[Guide/Pump]], [[Guide/Old]]\n"})
    with writing_transaction(app.engine) as connection:
        id_ = load_volumes(connection)["guide"].id
        files.keep_as(connection, id_, "valve.png", picture(10), (owner.person, app.clock()))
        files.keep_as(connection, id_, "spare.png", picture(20), (owner.person, app.clock()))
    sources.add(app, owner, "gale-2019", {"type": "book", "title": "Gales"})
    doing.apply(
        app, owner, requests.Contents("guide", "- [[Valve]]\n  - [[Pump]]\n- [[A/B]]\n- [[Old]]\n"), None
    )
    return owner


@pytest.fixture
def folder(app: AppContext, owner: Actor, tmp_path: Path) -> Path:
    """The guide as it left."""
    return taken_away(app, tmp_path / "out")


def taken_away(app: AppContext, into: Path) -> Path:
    with exporting.wiki_files(app, ["guide"]) as found:
        exporting.write_folder(found, into)
    return into


def came(app: AppContext, owner: Actor, folder: Path, **chosen: str) -> Applied:
    """Takes a folder in."""
    id_ = brought.receive_folder(app, owner, "guide", folder)
    if chosen:
        brought.choose(app, owner, "guide", id_, chosen)
    done = doing.apply(app, owner, requests.BringBack("guide", id_), None)
    assert isinstance(done, Applied)
    return done


def rows(app: AppContext) -> list[tuple[int, str]]:
    with reading(app.engine) as connection:
        id_ = load_volumes(connection)["guide"].id
        return [(row.depth, row.title) for row in placing.rows(connection, id_)]


def edit(path: Path, change: Callable[[str], str]) -> None:
    path.write_text(change(path.read_text()))


def test_all_that_was_done_to_a_folder_comes_and_is_taken_back_as_one(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    before = state_of(app)
    top = folder / "Guide"
    (top / "Pump.md").rename(top / "Bilge pump.md")
    edit(
        top / "Valve.md", lambda text: text.replace("Closes.", "Closes. Mind [[Bilge pump]] and [[New one]].")
    )
    edit(top / "A-B.md", lambda text: text.replace("title: A/B", "title: A or B"))
    (top / "Old.md").unlink()
    (top / "New one.md").write_text("New. ![](new.png)\n")
    (top / "files" / "new.png").write_bytes(picture(30))
    (top / "files" / "spare.png").rename(top / "files" / "store.png")
    (top / "files" / "valve.png").write_bytes(picture(40))
    (top / "contents.md").write_text("- [[A or B]]\n- [[Valve]]\n  - [[New one]]\n")
    (folder / "notes.txt").write_text("mine")
    id_ = brought.receive_folder(app, owner, "guide", folder)
    coming = brought.compared(app, owner, "guide", id_)
    assert {(item.kind, item.title) for item in coming.comparison.items} == {
        ("renamed", "Bilge pump"), ("changed", "Valve"), ("renamed", "A or B"), ("gone", "Old"), ("new", "New one"),
    }  # fmt: skip
    assert {(item.what, item.name) for item in coming.assets} == {
        ("new", "new.png"), ("renamed", "store.png"), ("changed", "valve.png"),
    }  # fmt: skip
    assert coming.said == ("Nothing that a wiki takes, and left out: notes.txt.",)
    view = doing.plan(app, owner, requests.BringBack("guide", id_))
    assert view.can_be_done and view.plan is not None
    done = doing.apply(app, owner, requests.BringBack("guide", id_), view.digest)
    assert isinstance(done, Applied)
    found = texts(app)
    assert found.keys() == {"Bilge pump", "Valve", "A or B", "New one", "Elsewhere"}
    assert found["Valve"].endswith("Closes. Mind [[Bilge pump]] and [[New one]].\n")
    assert found["Valve"].startswith("See [[Bilge pump]].")
    assert found["Elsewhere"] == "[[Guide/Bilge pump]], [[Guide/Old]]\n"
    assert rows(app) == [(0, "A or B"), (0, "Valve"), (1, "New one")]
    held = {each.name for each in files.files_of(app, owner, "guide").files}
    assert held == {"new.png", "store.png", "valve.png"}
    assert files.content(app, files.fetch(app, owner, "guide", "valve.png")) == picture(40)
    assert brought.listed(app, owner, "guide").folders == (), "what was taken in waits no more"
    doing.apply(app, owner, requests.Undo(done.change_set), None)
    assert state_of(app) == before
    assert len(brought.listed(app, owner, "guide").folders) == 1, "it waits again"


def test_a_folder_that_nobody_touched_brings_nothing(app: AppContext, owner: Actor, folder: Path) -> None:
    writing.save(app, owner, writing.Save("guide", "Pump", "Other words here.\n", revision=1))
    doing.apply(app, owner, requests.Rename("guide", "valve", "Gate"), None)
    id_ = brought.receive_folder(app, owner, "guide", folder)
    view = doing.plan(app, owner, requests.BringBack("guide", id_))
    assert view.plan is not None and view.plan.nothing_to_do
    assert brought.compared(app, owner, "guide", id_).said == ()


def test_what_clashes_is_chosen_and_nothing_is_done_before(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    writing.save(app, owner, writing.Save("guide", "Valve", "See [[Pump]].\n\nOurs.\n", revision=1))
    edit(folder / "Guide" / "Valve.md", lambda text: text.replace("Closes.", "Theirs."))
    id_ = brought.receive_folder(app, owner, "guide", folder)
    view = doing.plan(app, owner, requests.BringBack("guide", id_))
    assert not view.can_be_done and [page.title for page in view.conflicts] == ["Valve"]
    with pytest.raises(MokujiError, match="changed by others"):
        doing.apply(app, owner, requests.BringBack("guide", id_), None)
    with pytest.raises(BadRequest):
        brought.choose(app, owner, "guide", id_, {"Guide/Valve.md": "both"})
    assert brought.choose_all(app, owner, "guide", id_, "folder") == 1
    doing.apply(app, owner, requests.BringBack("guide", id_), None)
    assert texts(app)["Valve"].endswith("Theirs.\n")


def test_a_single_thing_is_left_out(app: AppContext, owner: Actor, folder: Path) -> None:
    (folder / "Guide" / "Old.md").unlink()
    edit(folder / "Guide" / "Pump.md", lambda text: text + "More.\n")
    old = next(json.loads(line)["page"] for line in (folder / ".mokuji-folder/pages.jsonl").read_text().splitlines()
               if json.loads(line)["title"] == "Old")  # fmt: skip
    came(app, owner, folder, **{f"page {old}": "wiki"})
    assert "Old" in texts(app)
    assert texts(app)["Pump"].endswith("More.\n")


def test_exchanged_names_come_and_the_front_page_is_still_the_front_page(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    reading_service.choose_front(app, owner, "guide", "Valve")
    before, top = state_of(app), folder / "Guide"
    (top / "Valve.md").rename(top / "between.md")
    (top / "Pump.md").rename(top / "Valve.md")
    (top / "between.md").rename(top / "Pump.md")
    done = came(app, owner, folder)
    assert texts(app)["Pump"].startswith("See [[Valve]].")
    with reading(app.engine) as connection:
        assert volumes.cover(connection, load_volumes(connection)["guide"].id).front == "pump"
    doing.apply(app, owner, requests.Undo(done.change_set), None)
    assert state_of(app) == before


def test_what_folder_commands_did_comes_back_as_they_did_it(
    app: AppContext, owner: Actor, tmp_path: Path
) -> None:
    """Renamed, merged, split and deleted by commands: each page is known for what it was, its title too where only
    what lies beside the files says it."""
    odd = "---\ntitle: Its own\n---\nSee [[Pump]].\n"
    pages(
        app,
        owner,
        "guide",
        {"Odd: one": odd, "Odd: two": odd, "Long": "## Part\n\nA part.\n\n## Rest\n\nThe rest.\n"},
    )
    folder = taken_away(app, tmp_path / "out")
    top = "Guide/"

    def command(request: requests.Request) -> None:
        folder_plan.apply(planned(folder, request))

    command(requests.Rename("", f"{top}Pump.md", "Bilge pump"))
    command(requests.Rename("", f"{top}Odd- one.md", "Odd: first"))
    command(requests.Merge("", f"{top}Old.md", "Valve"))
    command(requests.Rename("", f"{top}Bilge pump.md", "Old"))
    command(
        requests.Split("", f"{top}Long.md", section=section(folder, f"{top}Long.md", "Part"), title="Part")
    )
    assert [each for each in checking.check(folder).problems if each.kind == "problem"] == []
    id_ = brought.receive_folder(app, owner, "guide", folder)
    found = brought.compared(app, owner, "guide", id_).comparison.items
    assert {(item.kind, item.title, item.page.title if item.page else None) for item in found} == {
        ("gone", "Old", "Old"),
        ("renamed", "Old", "Pump"),
        ("renamed", "Odd: first", "Odd: one"),
        ("changed", "Odd: two", "Odd: two"),
        ("changed", "Valve", "Valve"),
        ("changed", "Long", "Long"),
        ("new", "Part", None),
    }
    done = came(app, owner, folder)
    kept = texts(app)
    assert kept["Odd: first"] == kept["Odd: two"] == odd.replace("Pump", "Old")
    assert kept["Elsewhere"].startswith("[[Guide/Old]]")
    assert kept["Part"] == "A part.\n"
    doing.apply(app, owner, requests.Undo(done.change_set), None)
    assert texts(app)["Odd: one"] == odd


def test_line_ends_and_ways_to_write_letters_that_tools_changed_are_no_change(
    app: AppContext, owner: Actor, tmp_path: Path
) -> None:
    pages(app, owner, "guide", {"Écluse": "One.\nTwo.\n", "Mixed": "One.\r\nTwo.\r\n"})
    folder = taken_away(app, tmp_path / "out")
    top = folder / "Guide"
    for path in list(top.glob("*.md")):
        data = path.read_bytes().replace(b"\r\n", b"\n").replace(b"\n", b"\r\n")
        path.unlink()
        (top / unicodedata.normalize("NFD", path.name)).write_bytes(data)
    id_ = brought.receive_folder(app, owner, "guide", folder)
    assert brought.compared(app, owner, "guide", id_).comparison.items == ()
    written = top / unicodedata.normalize("NFD", "Écluse.md")
    written.write_bytes(written.read_bytes() + b"Three.\r\n")
    came(app, owner, folder)
    assert texts(app)["Écluse"] == "One.\nTwo.\nThree.\n"


def test_a_rename_since_is_kept_when_what_came_is_taken_back(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    top = folder / "Guide"
    (top / "Pump.md").rename(top / "Bilge pump.md")
    (top / "A-B.md").write_text("---\ntitle: A or B\n---\nBoth. [^gale-2019]\n")
    (top / "contents.md").write_text("- [[Old]]\n- [[A or B]]\n- [[Valve]]\n  - [[Bilge pump]]\n")
    before = rows(app)
    done = came(app, owner, folder)
    assert rows(app) == [(0, "Old"), (0, "A or B"), (0, "Valve"), (1, "Bilge pump")]
    doing.apply(app, owner, requests.Rename("guide", "bilge pump", "Hand pump"), None)
    doing.apply(app, owner, requests.Undo(done.change_set), None)
    assert rows(app) == before


def test_sources_come_with_the_pages_that_cite_them_and_go_with_them(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    listed = json.loads((folder / "sources.json").read_text())
    assert [item["id"] for item in listed] == ["gale-2019"]
    listed[0]["title"] = "Gales and storms"
    listed.append({"id": "rope-2020", "type": "book", "title": "Ropes"})
    (folder / "sources.json").write_text(json.dumps(listed))
    edit(folder / "Guide" / "Pump.md", lambda text: text + "As told. [^rope-2020]\n")
    done = came(app, owner, folder)
    told = {each.name: each.fields["title"] for each in sources.listing(app, owner).sources}
    assert told == {"gale-2019": "Gales and storms", "rope-2020": "Ropes"}
    doing.apply(app, owner, requests.Undo(done.change_set), None)
    assert {each.name: each.fields["title"] for each in sources.listing(app, owner).sources} == {
        "gale-2019": "Gales"
    }
    sources_here = {"type": "book", "title": "Gales, second edition"}
    asked = requests.EditSource("guide", "gale-2019", json.dumps(sources_here))
    doing.apply(app, owner, asked, None)
    id_ = brought.receive_folder(app, owner, "guide", folder)
    clashing = [item for item in brought.compared(app, owner, "guide", id_).assets if item.clash]
    assert [item.id for item in clashing] == ["source gale-2019"]


def test_without_its_base_it_is_compared_by_titles_and_nothing_goes(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    for path in (folder / ".mokuji-folder").iterdir():
        path.unlink()
    (folder / "Guide" / "Old.md").unlink()
    edit(folder / "Guide" / "Pump.md", lambda text: text + "More.\n")
    came(app, owner, folder)
    assert "Old" in texts(app) and texts(app)["Pump"].endswith("More.\n")


def test_how_pages_left_another_wiki_says_nothing_of_those_here(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    told = folder / ".mokuji-folder" / "format.json"
    told.write_text(told.read_text().replace('"wiki": "', '"wiki": "0'))
    (folder / "Guide" / "Old.md").unlink()
    came(app, owner, folder)
    assert "Old" in texts(app)


def test_what_cannot_be_read_is_said_and_its_page_stays(app: AppContext, owner: Actor, folder: Path) -> None:
    (folder / "Guide" / "Old.md").write_bytes(b"\xff\xfe")
    (folder / "Guide" / "Pump.md").write_text("---\ntitle: Valve\n---\nTwice\n")
    (folder / "Guide" / "files" / "bad.exe").write_bytes(b"MZ\x90\0")
    edit(folder / "Guide" / "volume.yaml", lambda text: text + "summary: x\n")
    id_ = brought.receive_folder(app, owner, "guide", folder)
    coming = brought.compared(app, owner, "guide", id_)
    said = "\n".join(coming.said)
    assert "Old.md" in said and "not UTF-8" in said
    assert "bad.exe" in said and "volume.yaml was changed" in said and "that of Guide/Pump.md" in said
    came(app, owner, folder)
    assert {"Old", "Pump", "Valve"} <= texts(app).keys()


def test_a_file_that_cannot_be_kept_is_said_and_what_is_here_stays(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    top = folder / "Guide"
    (top / "files" / "valve.png").write_bytes(b"no picture\0")
    (top / "files" / "spare.png").write_bytes(b"")
    (top / "deep" / "er" / "files").mkdir(parents=True)
    (top / "deep" / "er" / "files" / "x.png").write_bytes(picture(1))
    (top / "other.yaml").write_text("x: 1")
    id_ = brought.receive_folder(app, owner, "guide", folder)
    coming = brought.compared(app, owner, "guide", id_)
    assert coming.assets == () and coming.comparison.items == ()
    said = "\n".join(coming.said)
    for name in ("valve.png", "spare.png", "deep/er/files/x.png", "other.yaml"):
        assert name in said


def test_who_may_not_write_brings_nothing_and_what_waits_is_seen_by_nobody_else(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    reader, writer = person(app, "bo", guide=Role.READER), person(app, "cy", guide=Role.WRITER)
    for actor in (reader, NOBODY):
        with pytest.raises(Forbidden):
            brought.receive_folder(app, actor, "guide", folder)
    id_ = brought.receive_folder(app, owner, "guide", folder)
    with pytest.raises(Missing):
        brought.compared(app, writer, "guide", id_)
    with pytest.raises(Missing):
        brought.compared(app, owner, "other", id_)
    view = doing.plan(app, writer, requests.BringBack("guide", id_))
    assert view.refusal is not None and view.refusal.code == "brought_missing"
    assert brought.listed(app, writer, "guide").folders == ()
    brought.discard(app, owner, "guide", id_)
    with pytest.raises(Missing):
        brought.compared(app, owner, "guide", id_)


def test_a_claim_about_a_page_of_another_volume_tells_nothing_of_it(
    app: AppContext, owner: Actor, folder: Path
) -> None:
    """The base is a claim: whoever writes that a page of a closed volume left in a file is told nothing of its text."""
    volume(app, "Vault", closed=True)
    keeper = person(app, "dee", vault=Role.OWNER)
    pages(app, keeper, "vault", {"Heron": "The heron plan.\n"})
    with reading(app.engine) as connection:
        secret = connection.exec_driver_sql("SELECT id FROM page WHERE key = 'heron'").scalar_one()
    listed = folder / ".mokuji-folder" / "pages.jsonl"
    lines = [json.loads(line) for line in listed.read_text().splitlines()]
    for line in lines:
        if line["title"] == "Pump":
            line["page"] = secret
    listed.write_text("".join(json.dumps(line) + "\n" for line in lines))
    (folder / "Guide" / "Pump.md").write_text("The heron is not here.\n")
    (folder / "Guide" / "Old.md").unlink()
    id_ = brought.receive_folder(app, owner, "guide", folder)
    coming = brought.compared(app, owner, "guide", id_)
    assert "heron plan" not in repr(coming.comparison)
    assert secret not in {item.page.id for item in coming.comparison.items if item.page is not None}


@pytest.mark.parametrize(
    "told",
    [
        {"page": 10**30}, {"page": -1}, {"page": True}, {"revision": 2**40}, {"revision": -3}, {"page": 2},
        {"title": "x" * 10_000}, {"path": "Guide/../../x.md"}, {"hash": "x" * 100_000}, {"path": "\ud800"},
    ],
)  # fmt: skip
def test_whatever_the_base_claims_is_answered(
    app: AppContext, owner: Actor, folder: Path, told: dict[str, object]
) -> None:
    listed = folder / ".mokuji-folder" / "pages.jsonl"
    lines = [json.loads(line) for line in listed.read_text().splitlines()]
    listed.write_text("".join(json.dumps({**line, **told}) + "\n" for line in lines))
    edit(folder / "Guide" / "Pump.md", lambda text: text + "More.\n")
    id_ = brought.receive_folder(app, owner, "guide", folder)
    doing.plan(app, owner, requests.BringBack("guide", id_))
    brought.choose_all(app, owner, "guide", id_, "folder")
    try:
        doing.apply(app, owner, requests.BringBack("guide", id_), None)
    except MokujiError as refused:
        assert refused.message.endswith(".")


def test_what_has_waited_for_a_month_is_discarded(app: AppContext, owner: Actor, folder: Path) -> None:
    brought.receive_folder(app, owner, "guide", folder)
    trash.purge(app)
    assert len(brought.listed(app, owner, "guide").folders) == 1
    app.clock.now += timedelta(days=trash.KEPT_DAYS)  # type: ignore[attr-defined]
    trash.purge(app)
    assert brought.listed(app, owner, "guide").folders == ()


# ---- zips ------------------------------------------------------------------------


def zipped(files_: dict[str, bytes], change: Callable[[zipfile.ZipInfo], None] | None = None) -> io.BytesIO:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files_.items():
            info = zipfile.ZipInfo(name)
            if change is not None:
                change(info)
            archive.writestr(info, data, zipfile.ZIP_DEFLATED)
    made.seek(0)
    return made


def test_a_zip_comes_back_too_and_so_does_one_that_holds_the_folder_itself(
    app: AppContext, owner: Actor
) -> None:
    out = exporting.zipped(app, owner, "guide")
    with zipfile.ZipFile(io.BytesIO(b"".join(out.parts()))) as archive:
        given = {name: archive.read(name) for name in archive.namelist()}
    given["Guide/Pump.md"] += b"More.\n"
    for lead in ("", "work/"):
        made = zipped({f"{lead}{name}": data for name, data in given.items()})
        id_ = brought.receive_zip(app, owner, "guide", "guide.zip", made)
        coming = brought.compared(app, owner, "guide", id_)
        assert coming.based and [item.title for item in coming.comparison.items] == ["Pump"]
        assert coming.folder.name == "guide"


def _link(info: zipfile.ZipInfo) -> None:
    info.external_attr = 0o120777 << 16


@pytest.mark.parametrize(
    ("given", "said"),
    [
        (zipped({"../out.md": b"x"}), "leads out"),
        (zipped({"/etc/out.md": b"x"}), "leads out"),
        (zipped({"a/../../out.md": b"x"}), "leads out"),
        (zipped({"C:/out.md": b"x"}), "leads out"),
        (zipped({"a\\..\\out.md": b"x"}), "leads out"),
        (zipped({"a.md": b"/etc/passwd"}, _link), "is a link"),
        (io.BytesIO(b"PK\x03\x04 no zip"), "no zip"),
        (io.BytesIO(b""), "no zip"),
        (zipped({"a.md": b"0" * 20_000_000}), "more than 15 MB"),
    ],
    ids=["climbs", "absolute", "climbs inside", "drive", "backslashes", "link", "no zip", "empty", "bomb"],
)  # fmt: skip
def test_a_hostile_zip_is_refused_in_a_sentence_and_nothing_is_kept(
    app: AppContext, owner: Actor, given: io.BytesIO, said: str
) -> None:
    given.seek(0)
    with pytest.raises(BadFile, match=said):
        brought.receive_zip(app, owner, "guide", "x.zip", given)
    with reading(app.engine) as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM brought").scalar_one() == 0
        assert connection.exec_driver_sql("SELECT count(*) FROM brought_file").scalar_one() == 0


def test_two_files_of_one_name_and_a_locked_or_damaged_one_are_refused(app: AppContext, owner: Actor) -> None:
    with pytest.warns(UserWarning, match="Duplicate"):
        made = io.BytesIO()
        with zipfile.ZipFile(made, "w") as archive:
            archive.writestr("a.md", "one")
            archive.writestr("a.md", "two")
    with pytest.raises(BadFile, match="twice"):
        brought.receive_zip(app, owner, "guide", "x.zip", made)
    plain = zipped({"a.md": b"text " * 500}).getvalue()
    locked = bytearray(plain)
    locked[6] |= 1
    locked[plain.index(b"PK\x01\x02") + 8] |= 1
    with pytest.raises(BadFile, match="password"):
        brought.receive_zip(app, owner, "guide", "x.zip", io.BytesIO(bytes(locked)))
    damaged = plain[:40] + b"\0\0\0\0\0" + plain[45:]
    with pytest.raises(BadFile, match="cannot be unpacked"):
        brought.receive_zip(app, owner, "guide", "x.zip", io.BytesIO(damaged))


def test_a_link_in_a_folder_is_refused(app: AppContext, owner: Actor, folder: Path) -> None:
    os.symlink("/etc/passwd", folder / "Guide" / "passwd.md")
    with pytest.raises(BadFile, match="is a link"):
        brought.receive_folder(app, owner, "guide", folder)


def test_a_folder_of_several_volumes_says_so(app: AppContext, owner: Actor, tmp_path: Path) -> None:
    with exporting.wiki_files(app) as found:
        exporting.write_folder(found, tmp_path / "all")
    (tmp_path / "all" / "Guide" / "New one.md").write_text("x")
    id_ = brought.receive_folder(app, owner, "guide", tmp_path / "all")
    coming = brought.compared(app, owner, "guide", id_)
    assert [item.title for item in coming.comparison.items] == ["New one"]
    assert any("Other" in said for said in coming.said)
    for name in ("A", "B"):
        (tmp_path / "two" / name).mkdir(parents=True)
        (tmp_path / "two" / name / "Page.md").write_text("x")
    id_ = brought.receive_folder(app, owner, "guide", tmp_path / "two")
    with pytest.raises(Refused, match="none of them is"):
        brought.compared(app, owner, "guide", id_)
