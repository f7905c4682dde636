"""The demo: a small invented maker of moored buoys, its four volumes, people and months of history.

The pages come from the package's own folder through the same import as any
folder; the history is acted out through the same services as in the browser.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from importlib.resources import as_file, files
from typing import Any

from mokuji.acts import doing, registry
from mokuji.acts.requests import Rename
from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError, Refused
from mokuji.core.language.page import Page
from mokuji.core.model.policy import Actor, Role
from mokuji.core.telling.watching import Mail
from mokuji.formats.folder import FolderPage, FolderVolume, FolderWiki, load_yaml
from mokuji.services import invitations, passwords, people_of_volumes, program_keys
from mokuji.services.app_context import AppContext, find_volume, need_head
from mokuji.services.folders.importing import import_folder, read_folder
from mokuji.services.reading import questions
from mokuji.services.telling import delivering, inbox, mailing, watching
from mokuji.services.telling.watching import Wanted
from mokuji.store import people, writing
from mokuji.store.database import label_of, reading, set_label
from mokuji.store.database import writing as writing_transaction
from mokuji.store.log.change_sets import Signature
from mokuji.store.snapshot import StoredWiki, load_volumes

PASSWORD = "buoy"  # noqa: S105 - shown on the sign-in page of the demo, by design
_ROLES = {"reader": Role.READER, "writer": Role.WRITER, "owner": Role.OWNER}


class DemoFault(MokujiError):
    """The demo's own files do not fit together."""

    code = "demo"


def is_loaded(app: AppContext) -> bool | None:
    """True if the demo is there whole, None if the database is empty, False if it holds something else."""
    with reading(app.engine) as connection:
        if label_of(connection) == "demo":
            return True
        return False if load_volumes(connection) else None


def load(app: AppContext) -> None:
    """Loads the demo into an empty database."""
    if is_loaded(app) is not None:
        raise Refused("The database is not empty, so the demo was not loaded. Give it one of its own.")
    with as_file(files("mokuji") / "demo") as folder:
        story = load_yaml((folder / "story.yaml").read_text(encoding="utf-8"))
        wiki = read_folder(folder / "wiki")
    if wiki.problems:
        raise DemoFault("The demo's pages have problems: " + " ".join(map(str, wiki.problems)))
    ids = _people(app, story["people"])
    starts = {names.key(title): each for title, each in story["volumes"].items()}

    def sign(volume: FolderVolume, page: FolderPage, nth: int) -> Signature:
        told = starts[names.key(volume.title)]
        return Signature(
            ids[told["by"]], _time(told["from"]) + nth * timedelta(hours=31, minutes=17), "First text"
        )

    def brought(volume: FolderVolume) -> tuple[int, datetime]:
        told = starts[names.key(volume.title)]
        return ids[told["by"]], _time(told["from"])

    order = list(starts)
    volumes = sorted(wiki.volumes, key=lambda volume: order.index(names.key(volume.title)))
    shown = FolderWiki(tuple(volumes), ())
    with as_file(files("mokuji") / "demo") as folder:
        unkept = import_folder(app, folder / "wiki", shown, sign, brought, lister=ids["wenna"])
    if unkept:
        raise DemoFault("The demo's files have problems: " + " ".join(map(str, unkept)))
    _roles(app, story["people"], ids)
    actors = _actors(app, ids)
    for act in story["acts"]:
        _act(app, actors[act["by"]], act)
    _rights(app, story["rights"], actors)
    for each in story["questions"]:
        questions.keep(
            app, actors[each["by"]], each["name"], each["line"], names.key(each["volume"]), shared=True
        )
    _week(app, story, actors)
    with writing_transaction(app.engine) as connection:
        set_label(connection, "demo")


def _week(app: AppContext, story: Mapping[str, Any], actors: Mapping[str, Actor]) -> None:
    """What people are told of, and a week of changes before now of which they are told."""
    while delivering.tell(app):
        pass
    for actor in actors.values():
        inbox.mark_all(app, actor, 2**62)  # they have read of the months before
    before = replace(app, clock=lambda: app.clock() - timedelta(days=7))
    for handle, wanted in story["told"].items():
        for each in wanted["of"]:
            _tell(app, actors[handle], each)
        if "mail" in wanted:
            _by_mail(before, actors[handle], wanted["address"], Mail[wanted["mail"]])
    for act in story["week"]:
        at = app.clock() - timedelta(hours=act["ago"])
        _act(app, actors[act["by"]], {**act, "at": at.replace(tzinfo=None)})
    while delivering.tell(app):
        pass
    delivering.tell_of_tasks(app)


def _by_mail(app: AppContext, actor: Actor, address: str, how: Mail) -> None:
    mailing.set_mail(app, actor, address, how)
    assert actor.person is not None
    mailing.confirm(app, mailing.confirming_word(app, actor.person, address, app.clock()))


def _tell(app: AppContext, actor: Actor, wanted: Mapping[str, Any]) -> None:
    kind, name = wanted["kind"], wanted.get("name", "")
    if kind == "own":
        watching.tell_of_own(app, actor, on=True)
        return
    kept = [each.kept.id for each in questions.kept(app, actor) if each.kept.name == name]
    number = kept[0] if kind == "question" and kept else 0
    watching.watch(app, actor, Wanted(kind, wanted.get("volume", ""), name, number))


def _time(value: Any) -> datetime:
    return datetime.fromisoformat(str(value)).replace(tzinfo=UTC)


def _people(app: AppContext, told: Mapping[str, Mapping[str, Any]]) -> dict[str, int]:
    password = passwords.kept(PASSWORD)
    with writing_transaction(app.engine) as connection:
        return {
            handle: people.add_person(connection, handle, each["name"], each["work"], password)
            for handle, each in told.items()
        }


def _roles(app: AppContext, told: Mapping[str, Mapping[str, Any]], ids: Mapping[str, int]) -> None:
    with writing_transaction(app.engine) as connection:
        volumes = load_volumes(connection)
        for handle, each in told.items():
            for title, role in each["roles"].items():
                people.set_role(connection, ids[handle], volumes[names.key(title)].id, _ROLES[role])


def _actors(app: AppContext, ids: Mapping[str, int]) -> dict[str, Actor]:
    with reading(app.engine) as connection:
        return {handle: people.actor_by_id(connection, id_) for handle, id_ in ids.items()}


def _rights(app: AppContext, told: Mapping[str, Any], actors: Mapping[str, Actor]) -> None:
    """What waits for an answer, and keys for programs: from now on, since they hold for a while only."""
    for each in told["invitations"]:
        invitations.invite(app, actors[each["by"]], each["roles"], each["for"])
    for each in told["offers"]:
        by = actors[each["by"]]
        people_of_volumes.offer(app, by, each["volume"], each["to"], each["role"])
    for each in told["keys"]:
        writes = bool(each["writes"])
        program_keys.make(app, actors[each["by"]], each["for"], each["volumes"], writes=writes, days=90)


def _act(app: AppContext, actor: Actor, told: Mapping[str, Any]) -> None:
    by = Signature(actor.person, _time(told["at"]), told.get("note", ""))
    if "do" in told:
        wanted = dict(told["do"])
        act = registry.named(wanted.pop("act"))
        if act is None:
            raise DemoFault(f"The demo's history asks for an act that there is not: {told['do']['act']}.")
        wanted["volume"] = names.key(wanted["volume"])
        doing.apply(app, actor, act.request(**wanted), None, signature=by)
        return
    if "rename" in told:
        volume_key, page_key = names.key(told["volume"]), names.key(told["page"])
        doing.apply(app, actor, Rename(volume_key, page_key, told["rename"]), None, signature=by)
        return
    with writing_transaction(app.engine) as connection:
        volume = find_volume(connection, actor, told["volume"])
        head = need_head(connection, volume, told["page"])
        body = StoredWiki(connection).pages([head.id])[head.id].text
        for old, new in told["replace"]:
            if body.count(old) != 1:
                raise DemoFault(
                    f"“{old}” stands {body.count(old)} times on the demo's page “{told['page']}”."
                )
            body = body.replace(old, new)
        writing.save_page(connection, head, Page(head, body).content, body, None, by)
