"""Files of a volume: kept once, under free names, for who may read the volume; missing ones are found while writing."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path

import pytest
from PIL import Image
from sqlalchemy import text

from mokuji.acts import doing, requests, words
from mokuji.acts.assets.source_edit import save_source
from mokuji.core.base.edits import apply
from mokuji.core.base.errors import BadFile, Collision, Forbidden, Missing, Refused
from mokuji.core.language.excerpt import Excerpt
from mokuji.core.language.scan import read_text
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.folders import checking, folders, importing
from mokuji.services.looking_back import trash
from mokuji.services.reading import reading, searching
from mokuji.services.reading.rendering import Addresses
from mokuji.services.writing import assets_shown, files, findings, writing
from mokuji.services.writing.assets_shown import AssetsShown
from mokuji.store.database import Connection, Engine
from mokuji.store.database import reading as reading_transaction
from mokuji.store.database import writing as store_writing
from mokuji.store.page_index import catch_up
from tests.outside.test_media import picture
from tests.services.making import pages, person, texts, volume

PNG = picture("PNG")
OTHER = picture("PNG", (50, 20))


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    return person(app, "wenna", guide=Role.WRITER, secret=Role.WRITER)


def test_a_file_is_kept_under_a_readable_name_and_found_by_any_way_to_write_it(
    app: AppContext, writer: Actor
) -> None:
    brought = files.bring(app, writer, "guide", "Wiring DIAGRAM.jpeg", PNG)
    assert (brought.file.name, brought.known) == ("wiring-diagram.png", False)
    file = files.fetch(app, NOBODY, "guide", "WIRING-diagram.PNG")
    assert (file.type, file.width, file.height, file.size) == ("image/png", 40, 30, len(PNG))
    assert files.content(app, file) == PNG


def test_the_same_content_is_kept_once_and_a_taken_name_gets_a_number(app: AppContext, writer: Actor) -> None:
    files.bring(app, writer, "guide", "a.png", PNG)
    again = files.bring(app, writer, "guide", "b.png", PNG)
    assert (again.file.name, again.known) == ("a.png", True)
    assert files.bring(app, writer, "guide", "A.png", OTHER).file.name == "a-2.png"
    assert files.bring(app, writer, "secret", "a.png", PNG).known is False, "another volume is another place"


def test_what_is_brought_can_be_called_otherwise_at_once_and_not_later(
    app: AppContext, writer: Actor
) -> None:
    files.bring(app, writer, "guide", "a.png", PNG)
    files.bring(app, writer, "guide", "b.png", OTHER)
    assert files.call(app, writer, "guide", "a.png", "Lamp at night").name == "lamp-at-night.png"
    with pytest.raises(Missing):
        files.fetch(app, writer, "guide", "a.png")
    with pytest.raises(Collision):
        files.call(app, writer, "guide", "b.png", "lamp at night")
    other = person(app, "jonas", guide=Role.WRITER)
    with pytest.raises(Refused):
        files.call(app, other, "guide", "b.png", "mine")
    app.clock.now += timedelta(hours=2)  # type: ignore[attr-defined]
    with pytest.raises(Refused, match="has been here for a while"):
        files.call(app, writer, "guide", "b.png", "late")


def test_who_may_not_write_brings_nothing_and_a_closed_volume_shows_nothing(
    app: AppContext, writer: Actor
) -> None:
    with pytest.raises(Forbidden):
        files.bring(app, NOBODY, "guide", "a.png", PNG)
    hidden = files.bring(app, writer, "secret", "plan.png", PNG).file
    for ask in (
        lambda: files.fetch(app, NOBODY, "secret", "plan.png"),
        lambda: files.files_of(app, NOBODY, "secret"),
        lambda: files.files_like(app, NOBODY, "secret", "plan"),
    ):
        with pytest.raises(Missing, match="closed to you"):
            ask()
    assert AssetsShown(app, NOBODY).file(hidden.volume, "plan.png") is None
    assert AssetsShown(app, writer).file(hidden.volume, "plan.png") is not None


def test_files_are_listed_and_offered_by_name(app: AppContext, writer: Actor) -> None:
    for n in range(files.SCREEN + 5):
        files.bring(app, writer, "guide", f"part {n:03}.png", picture("PNG", (n + 1, 1)))
    view = files.files_of(app, writer, "guide")
    rest = files.files_of(app, writer, "guide", view.more_after or "")
    names = [file.name for file in (*view.files, *rest.files)]
    assert names == sorted(names) and len(names) == files.SCREEN + 5 and rest.more_after is None
    assert [file.name for file in files.files_like(app, writer, "guide", "T-06")] == [
        f"part-06{n}.png" for n in range(5)
    ]
    assert files.files_like(app, writer, "guide", "%_") == []


def test_a_file_that_is_not_there_is_found_with_the_one_that_is_meant(app: AppContext, writer: Actor) -> None:
    files.bring(app, writer, "guide", "wiring of the lamp.png", PNG)
    text = "![x](wiring-of-lamp.png) [y](WIRING-of-the-lamp.png) ![z](https://post.example/a.png) [q](nothing.pdf)"
    seen = writing.preview(app, writer, "guide", "Lamp", text)
    found = [finding for finding in findings.findings(app, writer, seen, (), ()) if "file" in finding.message]
    assert [finding.message for finding in found] == [
        "There is no file “wiring-of-lamp.png” in this volume",
        "There is no file “nothing.pdf” in this volume",
    ]
    assert apply(text, found[0].mends[0].edits).startswith("![x](wiring-of-the-lamp.png)")
    assert found[1].mends == ()


def test_files_of_a_folder_come_along_and_what_cannot_be_kept_is_said(
    app: AppContext, tmp_path: Path
) -> None:
    (tmp_path / "files").mkdir()
    (tmp_path / "Lamp.md").write_text("![x](a.png)\n")
    for name, data in (
        ("a.png", PNG),
        ("bad.png", b"MZ\x90\x00" + bytes(99)),
        (".hidden", PNG),
        ("A.PNG", OTHER),
    ):
        (tmp_path / "files" / name).write_bytes(data)
    (tmp_path / "files" / "out.png").symlink_to("/etc/hostname")
    wiki = importing.read_folder(tmp_path)
    problems = importing.import_now(app, tmp_path, wiki, "import", leave_out=True)
    assert sorted((problem.path, problem.code) for problem in problems) == [
        ("files/a.png", "file_name"),
        ("files/bad.png", "bad_file_type"),
        ("files/out.png", "link_out"),
    ]
    key = wiki.volumes[0].title.lower()
    assert [file.name for file in files.files_of(app, NOBODY, key).files] == ["A.PNG"]


def test_an_empty_file_is_refused(app: AppContext, writer: Actor) -> None:
    with pytest.raises(BadFile, match="empty"):
        files.bring(app, writer, "guide", "a.png", b"")


def test_pages_bring_their_files_to_another_volume_and_closed_ones_do_not_get_out(
    app: AppContext, writer: Actor
) -> None:
    volume(app, "Data")
    owner = person(app, "olwen", guide=Role.OWNER, data=Role.OWNER, secret=Role.OWNER)
    for name, data in (("a.png", PNG), ("b.png", OTHER), ("c.png", picture("PNG", (3, 3)))):
        files.bring(app, owner, "guide", name, data)
    taken = files.bring(app, owner, "data", "b.png", picture("PNG", (9, 9))).file
    files.bring(app, owner, "secret", "plan.png", PNG)
    pages(app, owner, "guide", {"Lamp": "![x](a.png) ![y](b.png)", "Bulb": "![z](c.png)"})
    pages(app, owner, "data", {"Table": "[[Guide/Lamp]] ![p](plan.png)"})
    doing.apply(app, owner, requests.Move("guide", "lamp", "data"), None)
    assert files.fetch(app, owner, "data", "a.png").hash == files.fetch(app, owner, "guide", "a.png").hash
    assert files.fetch(app, owner, "data", "b.png").hash == taken.hash, "what is called so there stays"
    doing.apply(app, owner, requests.Merge("guide", "bulb", "Data/Table"), None)
    assert files.fetch(app, owner, "data", "c.png").width == 3
    with pytest.raises(Missing):
        files.fetch(app, owner, "data", "plan.png")


def test_a_folder_says_which_files_are_missing_and_shows_those_that_are_there(tmp_path: Path) -> None:
    (tmp_path / "files").mkdir()
    (tmp_path / "files" / "a.png").write_bytes(PNG)
    (tmp_path / "Lamp.md").write_text(
        "![x](A.png)\n\n![y](gone.png) `![z](code.png)` [u](https://post.example/x.png)\n"
    )
    (problem,) = checking.check(tmp_path).problems
    assert (problem.line, problem.column, problem.code) == (3, 6, "file_missing")
    assert "“gone.png”" in problem.message
    (tmp_path / "Lamp.md").write_text("![x](a.png)\n")
    html, _ = folders.render(tmp_path, "Lamp")
    assert '<img src="files/a.png" alt="x"' in html


def test_a_file_whose_name_follows_a_rename_is_called_so_as_well(app: AppContext, writer: Actor) -> None:
    files.bring(app, writer, "guide", "bilge pump.png", PNG)
    pages(app, writer, "guide", {"Bilge pump": "x", "Lamp": "[[Bilge pump]] ![x](bilge-pump.png)"})
    view = doing.plan(app, writer, requests.Rename("guide", "bilge pump", "Sump pump"))
    assert view.plan is not None
    chosen = tuple(row.id for row in view.plan.rows)
    assert chosen
    doing.apply(app, writer, requests.Rename("guide", "bilge pump", "Sump pump", rows=chosen), None)
    assert "![x](sump-pump.png)" in texts(app)["Lamp"]
    new, old = (files.fetch(app, writer, "guide", each) for each in ("sump-pump.png", "bilge-pump.png"))
    assert new.hash == old.hash


# ---- acts -----------------------------------------------------------------------


def _done(app: AppContext, actor: Actor, wish: requests.Request) -> int:
    seen = doing.plan(app, actor, wish)
    assert seen.refusal is None, seen.refusal
    done = doing.apply(app, actor, wish, seen.digest)
    assert isinstance(done, doing.Applied)
    return done.change_set


NAMED = {
    "Lamp": 'é ![The lamp](lamp.png) and [the sheet](<Lamp.PNG> "t")\n\n![again][l]\n\n[l]: lamp.png\n',
    "Card": "`![](lamp.png)` [[=Lamp | note: ![in a value](lamp.png#top)]]",
    "Other": "![other](other.png)",
}


def test_a_renamed_file_is_followed_everywhere_and_undone_to_the_byte(app: AppContext, writer: Actor) -> None:
    files.bring(app, writer, "guide", "lamp.png", PNG)
    pages(app, writer, "guide", NAMED)
    before = texts(app)
    wish = requests.RenameFile("guide", "lamp.png", "Mast head (night)")
    plan = doing.plan(app, writer, wish)
    assert words.sentence(plan) == (
        "The file “lamp.png” will be called “Mast head (night).png”. 4 places on 2 pages follow."
    )
    number = _done(app, writer, wish)
    after = texts(app)
    new = "Mast%20head%20%28night%29.png"
    assert after["Lamp"] == (
        f'é ![The lamp]({new}) and [the sheet](<{new}> "t")\n\n![again][l]\n\n[l]: {new}\n'
    )
    assert after["Card"] == f"`![](lamp.png)` [[=Lamp | note: ![in a value]({new}#top)]]"
    assert after["Other"] == before["Other"]
    assert files.fetch(app, writer, "guide", "mast head (night).png").version == 2
    # One page is edited, and one begins to name the file: both follow when the name comes back.
    writing.save(app, writer, writing.Save("guide", "Lamp", after["Lamp"] + "\nMore.\n", revision=2))
    pages(app, writer, "guide", {"Late": f"![late]({new})"})
    _done(app, writer, requests.Undo(number))
    back = texts(app)
    assert back["Card"] == before["Card"]
    assert back["Late"] == "![late](lamp.png)"
    assert "Mast" not in back["Lamp"] and back["Lamp"].endswith("\nMore.\n")


def test_a_name_that_is_taken_or_none_is_refused_with_the_reason(app: AppContext, writer: Actor) -> None:
    files.bring(app, writer, "guide", "a.png", PNG)
    files.bring(app, writer, "guide", "b.png", OTHER)
    for to, code in (("B", "file_name"), ("a/b", "bad_file_name"), (".hidden", "bad_file_name")):
        refusal = doing.plan(app, writer, requests.RenameFile("guide", "a.png", to)).refusal
        assert refusal is not None and refusal.code == code, to
    assert doing.plan(app, writer, requests.RenameFile("guide", "no.png", "x")).refusal is not None
    reader = person(app, "mirela", guide=Role.READER)
    with pytest.raises(Forbidden):
        doing.plan(app, reader, requests.RenameFile("guide", "a.png", "x"))


def test_a_replaced_file_keeps_what_it_was_and_another_type_gives_another_ending(
    app: AppContext, writer: Actor
) -> None:
    files.bring(app, writer, "guide", "lamp.png", PNG)
    pages(app, writer, "guide", {"Lamp": "![a](lamp.png)"})
    jpeg = picture("JPEG", (80, 60))
    content = files.stage(app, writer, "guide", "lamp.png", jpeg)
    number = _done(app, writer, requests.ReplaceFile("guide", "lamp.png", content))
    assert texts(app)["Lamp"] == "![a](lamp.jpg)"
    view = files.about(app, writer, "guide", "lamp.jpg")
    assert (view.file.type, view.file.width, view.pages, view.places) == ("image/jpeg", 80, 1, 1)
    (was,) = view.versions
    assert (was.number, was.name, was.width) == (1, "lamp.png", 40)
    assert files.content(app, files.version(app, writer, "guide", "lamp.jpg", 1)) == PNG
    # A former version comes back as any other file does; what it took the place of is kept, too.
    _done(app, writer, requests.ReplaceFile("guide", "lamp.jpg", was.hash.hex()))
    assert [v.number for v in files.about(app, writer, "guide", "lamp.png").versions] == [2, 1]
    refusal = doing.plan(app, writer, requests.Undo(number)).refusal
    assert refusal is not None and "changed since" in refusal.message
    gone = doing.plan(app, writer, requests.ReplaceFile("guide", "lamp.png", "00" * 32)).refusal
    assert gone is not None and gone.code == "file_gone"


def test_a_deleted_file_leaves_its_places_listed_and_comes_back(app: AppContext, writer: Actor) -> None:
    files.bring(app, writer, "guide", "lamp.png", PNG)
    pages(app, writer, "guide", {"Lamp": "![a](lamp.png) ![b](lamp.png)"})
    wish = requests.DeleteFile("guide", "lamp.png")
    assert "2 places name it" in words.sentence(doing.plan(app, writer, wish))
    number = _done(app, writer, wish)
    assert files.files_of(app, writer, "guide").missing == (("lamp.png", 1),)
    _done(app, writer, requests.Undo(number))
    assert files.content(app, files.fetch(app, writer, "guide", "lamp.png")) == PNG
    assert not files.files_of(app, writer, "guide").missing
    # After its time it is gone for good, and so are bytes that were staged for nothing.
    number = _done(app, writer, wish)
    staged = files.stage(
        app, writer, "guide", files.bring(app, writer, "guide", "x.png", OTHER).file.name, PNG
    )
    app.clock.now += timedelta(days=61)  # type: ignore[attr-defined]
    trash.purge(app)
    refusal = doing.plan(app, writer, requests.Undo(number)).refusal
    assert refusal is not None and "for good" in refusal.message
    gone = doing.plan(app, writer, requests.ReplaceFile("guide", "x.png", staged)).refusal
    assert gone is not None and gone.code == "file_gone"


def test_one_of_two_equal_files_takes_the_place_of_the_other(app: AppContext, writer: Actor) -> None:
    with store_writing(app.engine) as connection:
        for name in ("a.png", "b.png"):
            files.keep_as(connection, 1, name, PNG, (writer.person, app.clock()))
    pages(app, writer, "guide", {"Lamp": "![x](a.png) ![y](b.png)"})
    assert {f.name for f in files.files_of(app, writer, "guide", which="equal").files} == {"a.png", "b.png"}
    _done(app, writer, requests.DeleteFile("guide", "b.png", "a.png"))
    assert texts(app)["Lamp"] == "![x](a.png) ![y](a.png)"
    assert not files.files_of(app, writer, "guide", which="equal").files
    assert not files.files_of(app, writer, "guide", which="unused").files


@pytest.mark.parametrize("way", ["move", "merge", "join"])
def test_a_page_that_goes_to_another_volume_goes_on_showing_its_own_picture(
    app: AppContext, writer: Actor, way: str
) -> None:
    files.bring(app, writer, "guide", "lamp.png", PNG)
    files.bring(app, writer, "secret", "lamp.png", OTHER)
    pages(app, writer, "guide", {"Lamp": "![a](lamp.png)"})
    pages(app, writer, "secret", {"There": "![b](lamp.png)"})
    ways: dict[str, requests.Request] = {
        "move": requests.Move("guide", "lamp", "secret"),
        "merge": requests.Merge("guide", "lamp", "Secret/There"),
        "join": requests.Join("guide", "lamp", "Secret/There"),
    }
    number = _done(app, writer, ways[way])
    after = texts(app)
    assert "![a](lamp-2.png)" in after["Lamp" if way == "move" else "There"]
    assert "![b](lamp.png)" in after["There"]
    assert files.content(app, files.fetch(app, writer, "secret", "lamp-2.png")) == PNG
    _done(app, writer, requests.Undo(number))
    assert texts(app) == {"Lamp": "![a](lamp.png)", "There": "![b](lamp.png)"}
    with pytest.raises(Missing):
        files.fetch(app, writer, "secret", "lamp-2.png")


def test_files_that_came_along_go_back_with_their_page_unless_another_page_names_them(
    app: AppContext, writer: Actor
) -> None:
    for name, data in (("a.png", PNG), ("b.png", OTHER)):
        files.bring(app, writer, "guide", name, data)
    pages(app, writer, "guide", {"Lamp": "![x](a.png) ![y](b.png)"})
    number = _done(app, writer, requests.Move("guide", "lamp", "secret"))
    pages(app, writer, "secret", {"Other": "![y](b.png)"})
    view = doing.plan(app, writer, requests.Undo(number))
    assert "2 files that were copied for it go, unless another page names it" in words.sentence(view)
    _done(app, writer, requests.Undo(number))
    assert files.fetch(app, writer, "secret", "b.png").name == "b.png"
    with pytest.raises(Missing):
        files.fetch(app, writer, "secret", "a.png")


def test_a_picture_is_had_at_smaller_widths_once_made(app: AppContext, writer: Actor) -> None:
    noise = Image.effect_noise((1500, 900), 80).convert("RGB")
    made = io.BytesIO()
    noise.save(made, "PNG")
    file = files.bring(app, writer, "guide", "noise.png", made.getvalue()).file
    assert files.widths(file) == (320, 640, 1280)
    small = files.scaled(app, file, 320)
    assert small is not None and small == files.scaled(app, file, 320)
    assert Image.open(io.BytesIO(small)).size == (320, 192)
    assert files.scaled(app, file, 321) is None
    assert files.widths(files.bring(app, writer, "guide", "a.png", PNG).file) == ()


def test_what_names_a_file_is_told_with_its_sentence_to_who_may_read_it(
    app: AppContext, writer: Actor
) -> None:
    files.bring(app, writer, "guide", "lamp.png", PNG)
    pages(app, writer, "guide", {"Lamp": "Look up. The lamp is ![red](lamp.png) at night. Go on."})
    (place,) = files.about(app, NOBODY, "guide", "lamp.png").naming
    assert (place.page.title, place.line) == ("Lamp", 1)
    assert place.sentence == Excerpt("The lamp is ", "red", " at night.")
    with pytest.raises(Missing):
        files.about(app, NOBODY, "secret", "lamp.png")


def test_no_act_on_a_file_is_planned_before_it_is_known_who_names_it(app: AppContext, writer: Actor) -> None:
    files.bring(app, writer, "guide", "lamp.png", PNG)
    pages(app, writer, "guide", {"Lamp": "![a](lamp.png)"})
    with store_writing(app.engine) as connection:
        connection.execute(text("DELETE FROM held"))
        connection.execute(text("INSERT INTO unfiled (page) SELECT id FROM page"))
    refusal = doing.plan(app, writer, requests.RenameFile("guide", "lamp.png", "x")).refusal
    assert refusal is not None and refusal.code == "reading"
    with store_writing(app.engine) as connection:
        catch_up(connection, read_text)
    _done(app, writer, requests.RenameFile("guide", "lamp.png", "x"))
    assert texts(app)["Lamp"] == "![a](x.png)"


def test_who_knows_only_the_hash_of_bytes_in_a_closed_volume_gets_nothing(app: AppContext) -> None:
    volume(app, "Open")
    volume(app, "Shut", closed=True)
    keeper = person(app, "keeper", shut=Role.OWNER)
    jonas = person(app, "jonas", open=Role.OWNER)
    files.bring(app, keeper, "shut", "plan.txt", b"very private")
    files.bring(app, jonas, "open", "mine.txt", b"mine")
    hash_ = hashlib.sha256(b"very private").hexdigest()
    unknown = hashlib.sha256(b"never there").hexdigest()
    said = [
        doing.plan(app, jonas, requests.ReplaceFile("open", "mine.txt", each)).refusal
        for each in (hash_, unknown)
    ]
    assert said[0] is not None and said[1] is not None
    assert (said[0].code, said[0].message) == (said[1].code, said[1].message)
    # What somebody else brought for a file of theirs is not one's own either.
    staged = files.stage(app, keeper, "shut", "plan.txt", b"also private")
    assert doing.plan(app, jonas, requests.ReplaceFile("open", "mine.txt", staged)).refusal is not None
    own = files.stage(app, jonas, "open", "mine.txt", b"brought")
    assert doing.plan(app, jonas, requests.ReplaceFile("open", "mine.txt", own)).refusal is None


def test_files_that_come_along_are_in_the_plan_that_is_seen(app: AppContext, writer: Actor) -> None:
    volume(app, "Parts")
    keeper = person(app, "keeper", guide=Role.OWNER, parts=Role.OWNER)
    files.bring(app, keeper, "guide", "lamp.png", PNG)
    pages(app, keeper, "guide", {"Lamp": "![a](lamp.png) ![b](gone.png)"})
    move = requests.Move("guide", "lamp", "parts")
    view = doing.plan(app, keeper, move)
    assert view.plan is not None and view.plan.copied == ("lamp.png",)
    assert "Copied along: “lamp.png”." in words.sentence(view)
    # Somebody brings a file of that name meanwhile: it is another plan, and nothing is done.
    files.bring(app, keeper, "parts", "lamp.png", PNG)
    again = doing.apply(app, keeper, move, view.digest)
    assert isinstance(again, doing.PlanView) and again.plan is not None and again.plan.copied == ()
    assert isinstance(doing.apply(app, keeper, move, again.digest), doing.Applied)


def test_names_of_files_that_follow_a_title_bring_copies_into_the_plan(
    app: AppContext, writer: Actor
) -> None:
    files.bring(app, writer, "guide", "lamp.png", PNG)
    pages(app, writer, "guide", {"Lamp": "x", "Use": "![lamp](lamp.png)"})
    view = doing.plan(app, writer, requests.Rename("guide", "lamp", "Lantern"))
    assert view.plan is not None and view.plan.copied == ()
    rows = tuple(row.id for row in view.rows if row.kind == "file")
    chosen = doing.plan(app, writer, requests.Rename("guide", "lamp", "Lantern", rows=rows))
    assert rows and chosen.plan is not None and chosen.plan.copied == ("lantern.png",)


def test_leading_references_to_a_page_brings_no_files_into_its_volume(app: AppContext, writer: Actor) -> None:
    volume(app, "Parts")
    keeper = person(app, "keeper", guide=Role.OWNER, parts=Role.OWNER)
    files.bring(app, keeper, "guide", "lamp.png", PNG)
    pages(app, keeper, "guide", {"Lamp": "x"})
    pages(app, keeper, "parts", {"Lens": "[[Guide/Lamp]] ![a](lamp.png)"})
    other = person(app, "other", guide=Role.OWNER)
    view = doing.plan(app, other, requests.Delete("guide", "lamp", False, "retarget", "Parts/Lens"))
    assert view.plan is not None and view.changes and view.plan.copied == ()


def test_all_that_a_page_names_is_looked_up_together_and_not_one_by_one(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    files.bring(app, writer, "guide", "a.png", PNG)
    save_source(app, writer, "gel", {"title": "Gel"}, new=True)
    pages(app, writer, "guide", {"Part": "![](a.png), ![](none.png) and [^gel], ask @wenna."})
    pages(app, writer, "guide", {"Whole": "[[=Part]]\n\n" + "![](a.png) [^none] @nobody\n" * 20})
    view = reading.open_page(app, writer, "guide", "whole")
    assert isinstance(view, reading.PageView)
    begun: list[str] = []

    @contextmanager
    def counted(engine: Engine) -> Iterator[Connection]:
        begun.append("a transaction")
        with reading_transaction(engine) as connection:
            yield connection

    monkeypatch.setattr(assets_shown, "reading", counted)
    shown = AssetsShown(app, writer)
    to = Addresses(
        file=shown.file,
        source=shown.source,
        person=shown.person,
        marks_nobody=True,
        prepare=shown.prepare,
    )
    html = view.rendered(app, to).html
    assert len(begun) == 1
    assert html.count("<img ") == 21 and "There is no file “none.png”" in html
    assert 'title="Wenna"' in html and "Nobody here has this handle" in html and "Gel" in html


def test_a_file_is_found_by_words_of_its_name_by_who_may_read_its_volume(
    app: AppContext, writer: Actor
) -> None:
    for home, name in (("guide", "Wiring of the lamp.png"), ("secret", "Lamp plan.png")):
        files.bring(app, writer, home, name, PNG)

    def found(actor: Actor, typed: str, home: str = "") -> list[str]:
        return [file.name for file in searching.find(app, actor, typed, home).files]

    assert found(writer, "LAMP") == ["lamp-plan.png", "wiring-of-the-lamp.png"]
    assert found(writer, "lamp wiring") == ["wiring-of-the-lamp.png"]
    assert found(writer, "file:plan") == ["lamp-plan.png"]
    assert found(writer, "lamp", "guide") == ["wiring-of-the-lamp.png"]
    assert found(NOBODY, "lamp") == ["wiring-of-the-lamp.png"]
    assert found(writer, "title:lamp") == found(writer, "l_mp") == found(writer, "%") == []
