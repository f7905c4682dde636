"""All requests in one place, for who makes them."""

from __future__ import annotations

from mokuji.acts.pages.add_alias import AddAlias as AddAlias
from mokuji.acts.pages.aliases import Aliases as Aliases
from mokuji.acts.pages.delete import Delete as Delete
from mokuji.acts.pages.join import Join as Join
from mokuji.acts.pages.lead_to_section import LeadToSection as LeadToSection
from mokuji.acts.pages.link import Link as Link
from mokuji.acts.pages.link import Mark as Mark
from mokuji.acts.pages.link_addresses import LinkAddresses as LinkAddresses
from mokuji.acts.pages.link_from import LinkFrom as LinkFrom
from mokuji.acts.pages.merge import Merge as Merge
from mokuji.acts.pages.move import Move as Move
from mokuji.acts.pages.place import Place as Place
from mokuji.acts.pages.rename import Rename as Rename
from mokuji.acts.pages.restore import Restore as Restore
from mokuji.acts.pages.retarget import Chosen as Chosen
from mokuji.acts.pages.retarget import Retarget as Retarget
from mokuji.acts.pages.section import Section as Section
from mokuji.acts.pages.split import Split as Split
from mokuji.acts.request import Request as Request
from mokuji.acts.reuse.category import RenameCategory as RenameCategory
from mokuji.acts.reuse.category_move import MoveCategory as MoveCategory
from mokuji.acts.reuse.extract import Extract as Extract
from mokuji.acts.reuse.extract import Slot as Slot
from mokuji.acts.reuse.file import File as File
from mokuji.acts.reuse.inline import Inline as Inline
from mokuji.acts.reuse.inline_everywhere import InlineEverywhere as InlineEverywhere
from mokuji.acts.reuse.slot import RenameSlot as RenameSlot
from mokuji.acts.reuse.slot_value import GiveValue as GiveValue
from mokuji.acts.things.file_delete import DeleteFile as DeleteFile
from mokuji.acts.things.file_rename import RenameFile as RenameFile
from mokuji.acts.things.file_replace import ReplaceFile as ReplaceFile
from mokuji.acts.things.person_rename import RenamePerson as RenamePerson
from mokuji.acts.things.source_delete import DeleteSource as DeleteSource
from mokuji.acts.things.source_edit import EditSource as EditSource
from mokuji.acts.things.source_rename import RenameSource as RenameSource
from mokuji.acts.undo import Undo as Undo
from mokuji.acts.volumes.contents import Contents as Contents
from mokuji.acts.volumes.create import CreateVolume as CreateVolume
from mokuji.acts.volumes.delete import DeleteVolume as DeleteVolume
from mokuji.acts.volumes.language import Language as Language
from mokuji.acts.volumes.libraries import Libraries as Libraries
from mokuji.acts.volumes.outline import Outline as Outline
from mokuji.acts.volumes.rename import RenameVolume as RenameVolume
