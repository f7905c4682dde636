"""Acts on things that pages name: files of a volume, sources of the wiki, people."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import ClassVar

from mokuji.acts import acts
from mokuji.acts.wishes import Scene
from mokuji.core.base.errors import BadFields, Forbidden, Missing, Refused
from mokuji.core.base.phrases import Phrase
from mokuji.core.language import files as naming
from mokuji.core.language.pointers import source_key
from mokuji.core.model.policy import Act, Actor, PersonAct, may_about
from mokuji.core.model.sources import as_json, fault_of
from mokuji.core.model.things import Thing, defines_note
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.things import change_thing, remove_thing
from mokuji.formats.media import Media, recognise
from mokuji.services.desk import Desk
from mokuji.services.people import NOT_THEIRS, check_never_theirs
from mokuji.services.writing import sources
from mokuji.store import files as stored
from mokuji.store.index import filings, things


def _naming(scene: Scene, thing: Thing) -> list[int]:
    """The pages that name a thing, once that is known of all pages."""
    if filings.any_unfiled(scene.connection):
        raise Refused(
            "After an upgrade the wiki is still reading what its pages name. Try again in a minute.",
            code="reading",
        )
    return things.naming(scene.connection, thing)


def _file(scene: Scene, volume_key: str, name: str) -> tuple[Volume, Thing]:
    volume = scene.volume(volume_key)
    found = things.called(scene.connection, "file", naming.key(name), volume.id)
    if found is None:
        raise Missing(f"“{volume.title}” has no file “{name}”.", code="file_missing")
    return volume, found


def _with_ending(name: str, end: str) -> str:
    """A name with an ending; one that is written so already stays."""
    known = {"jpg": "jpg", "jpeg": "jpg", "htm": "txt"}
    old = naming.ending(name)
    if not end or known.get(old, old) == known.get(end, end):
        return name
    return f"{name[: -len(old) - 1] if old else name}.{end}"


@dataclass(frozen=True, slots=True)
class RenameFile:
    """Another name for a file of a volume; its ending stays."""

    act: ClassVar[str] = "file rename"
    volume: str
    file: str
    to: str

    def plan(self, scene: Scene) -> Plan:
        volume, file = _file(scene, self.volume, self.file)
        wanted = self.to.strip()
        end = naming.ending(file.name)
        if naming.ending(wanted) != end and end:
            wanted = f"{wanted}.{end}"
        taken = things.called(scene.connection, "file", naming.key(wanted), volume.id)
        pages = _naming(scene, file)
        return change_thing(scene.wiki, self.act, file, pages, name=wanted, taken=taken)

    def note(self, plan: Plan) -> Phrase:
        return f"File “{plan.facts['from']}” is now called “{plan.facts['to']}”"


@dataclass(frozen=True, slots=True)
class ReplaceFile:
    """Other bytes for a file of a volume: those that were brought for it (``stage``), or those of a former version.
    ``content`` is their SHA-256 in hexadecimal digits. If they are of another type, the ending of its name changes."""

    act: ClassVar[str] = "file replace"
    volume: str
    file: str
    content: str

    def plan(self, scene: Scene) -> Plan:
        volume, file = _file(scene, self.volume, self.file)
        media = self._media(scene, file)
        content = json.dumps(
            {
                "hash": self.content.lower(),
                "type": media.type,
                "size": len(media.data),
                "width": media.width,
                "height": media.height,
            }
        )
        name = _with_ending(file.name, media.ending)
        taken = things.called(scene.connection, "file", naming.key(name), volume.id)
        pages = _naming(scene, file) if name != file.name else ()
        plan = change_thing(scene.wiki, self.act, file, pages, name=name, content=content, taken=taken)
        return replace(plan, facts={**plan.facts, "content": self.content.lower()})

    def _media(self, scene: Scene, file: Thing) -> Media:
        """The bytes, if the actor brought them or may read them: who knows only their hash is given nothing."""
        try:
            hash_ = bytes.fromhex(self.content)
        except ValueError:
            hash_ = b""
        readable = [each.id for each in scene.volumes.values()]
        known = len(hash_) == 32 and stored.may_use(
            scene.connection, hash_, file.id, readable, scene.actor.person or 0
        )
        data = stored.find_data(scene.connection, hash_) if known else None
        if data is None:
            raise Missing(
                "What is to take its place is not here any more. Choose the file again.", code="file_gone"
            )
        return recognise(data, self.file)

    def note(self, plan: Plan) -> Phrase:
        return f"File “{plan.facts['to']}” replaced"


@dataclass(frozen=True, slots=True)
class DeleteFile:
    """A file taken away; ``instead`` is another one that takes its place on all pages."""

    act: ClassVar[str] = "file delete"
    volume: str
    file: str
    instead: str = ""

    def plan(self, scene: Scene) -> Plan:
        _, file = _file(scene, self.volume, self.file)
        other = _file(scene, self.volume, self.instead)[1] if self.instead.strip() else None
        pages = _naming(scene, file)
        return remove_thing(scene.wiki, self.act, file, pages, instead=other)

    def note(self, plan: Plan) -> Phrase:
        more = f", “{plan.facts['to']}” takes its place" if plan.facts["to"] else ""
        return f"File “{plan.facts['from']}” deleted{more}"


def _source(scene: Scene, volume_key: str, name: str) -> Thing:
    # Who may write in a volume may change the list that all share.
    scene.volume(volume_key, Act.WRITE)
    found = things.called(scene.connection, "source", source_key(name))
    if found is None:
        raise Missing(f"There is no source “{name}”.", code="source_missing")
    return found


@dataclass(frozen=True, slots=True)
class RenameSource:
    """Another name for a source; whatever cites it follows."""

    act: ClassVar[str] = "source rename"
    volume: str
    source: str
    to: str

    def plan(self, scene: Scene) -> Plan:
        source = _source(scene, self.volume, self.source)
        taken = things.called(scene.connection, "source", source_key(self.to))
        pages = _naming(scene, source)
        readable = {each.id for each in scene.volumes.values()}
        for page in scene.wiki.pages(pages).values():
            if page.head.volume not in readable and defines_note(page, self.to.strip()):
                raise Refused(
                    f"A page that is closed to you has a footnote “{self.to.strip()}” of its own, which would stand in "
                    "the place of the source. Choose another name.",
                    code="source_hidden",
                )
        return change_thing(scene.wiki, self.act, source, pages, name=self.to, taken=taken)

    def note(self, plan: Plan) -> Phrase:
        return f"Source “{plan.facts['from']}” is now called “{plan.facts['to']}”"


@dataclass(frozen=True, slots=True)
class EditSource:
    """Other fields for a source, as CSL-JSON."""

    act: ClassVar[str] = "source edit"
    volume: str
    source: str
    fields: str

    def plan(self, scene: Scene) -> Plan:
        source = _source(scene, self.volume, self.source)
        fields = json.loads(self.fields)
        if fault := fault_of(fields):
            raise BadFields({"fields": f"The source cannot be kept: {fault}"})
        return change_thing(scene.wiki, self.act, source, (), content=as_json(fields))

    def note(self, plan: Plan) -> Phrase:
        return f"Source “{plan.facts['to']}” edited"


def save_source(desk: Desk, actor: Actor, name: str, fields: Mapping[str, str], *, new: bool) -> str:
    """Makes a source of what a form says, or changes one; the name that it has. BadName and BadFields say what is wrong
    with it."""
    told = sources.check(desk, actor, name, fields, new=new)
    if told.known is None:
        return sources.add(desk, actor, name, told.fields)
    if as_json(told.fields) != as_json(told.known.fields):
        acts.apply(desk, actor, EditSource(told.home.key, told.known.name, as_json(told.fields)), None)
    return told.known.name


@dataclass(frozen=True, slots=True)
class DeleteSource:
    """A source taken off the list; ``instead`` is another one that is cited in its place."""

    act: ClassVar[str] = "source delete"
    volume: str
    source: str
    instead: str = ""

    def plan(self, scene: Scene) -> Plan:
        source = _source(scene, self.volume, self.source)
        other = _source(scene, self.volume, self.instead) if self.instead.strip() else None
        pages = _naming(scene, source)
        return remove_thing(scene.wiki, self.act, source, pages, instead=other)

    def note(self, plan: Plan) -> Phrase:
        more = f", “{plan.facts['to']}” is cited in its place" if plan.facts["to"] else ""
        return f"Source “{plan.facts['from']}” deleted{more}"


@dataclass(frozen=True, slots=True)
class RenamePerson:
    """Another handle for a person: for oneself, or by an owner of the wiki. Whatever names them follows."""

    act: ClassVar[str] = "person rename"
    volume: str
    person: str
    to: str

    def plan(self, scene: Scene) -> Plan:
        scene.volume(self.volume, Act.READ)
        if not scene.actor.signed_in:
            raise Forbidden("Sign in to change your handle.", code="sign_in")
        found = things.called(scene.connection, "person", self.person.strip().casefold())
        # Who is not there and who is not one's own to rename look alike.
        if not may_about(scene.actor, PersonAct.RENAME, found.id if found is not None else 0):
            raise Forbidden(NOT_THEIRS)
        if found is None:
            raise Missing(f"Nobody is called “{self.person}” here.", code="person_missing")
        if not self.to.strip():
            raise Refused("Type the new handle.", code="bad_handle")
        wanted = self.to.strip().casefold()
        taken = things.called(scene.connection, "person", wanted)
        pages = _naming(scene, found)
        plan = change_thing(scene.wiki, self.act, found, pages, name=self.to.strip(), taken=taken)
        check_never_theirs(scene.connection, wanted, found.id)
        return plan

    def note(self, plan: Plan) -> Phrase:
        return f"@{plan.facts['from']} is now @{plan.facts['to']}"
