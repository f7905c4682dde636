"""The tables. Why they look like this is told in docs/decisions/0003-data-model.md.

Key columns are ``COLLATE "C"``, so that an index can be used for every order
and range. A text stands in ``revision`` only. References are interned:
``name`` holds what is typed once per volume, ``page_name`` says which page
uses it, ``page_refs`` where.
"""

from mokuji.store.tables.assets import blob as blob
from mokuji.store.tables.assets import file as file
from mokuji.store.tables.assets import file_version as file_version
from mokuji.store.tables.assets import scaled as scaled
from mokuji.store.tables.assets import source as source
from mokuji.store.tables.assets import staged as staged
from mokuji.store.tables.base import metadata as metadata
from mokuji.store.tables.brought import brought as brought
from mokuji.store.tables.brought import brought_file as brought_file
from mokuji.store.tables.index import alias as alias
from mokuji.store.tables.index import field as field
from mokuji.store.tables.index import filing as filing
from mokuji.store.tables.index import held as held
from mokuji.store.tables.index import name as name
from mokuji.store.tables.index import page_name as page_name
from mokuji.store.tables.index import page_refs as page_refs
from mokuji.store.tables.index import page_search as page_search
from mokuji.store.tables.index import section_ref as section_ref
from mokuji.store.tables.index import task as task
from mokuji.store.tables.index import unfiled as unfiled
from mokuji.store.tables.index import unsearched as unsearched
from mokuji.store.tables.index import word as word
from mokuji.store.tables.log import audit as audit
from mokuji.store.tables.log import change_set as change_set
from mokuji.store.tables.log import change_set_person as change_set_person
from mokuji.store.tables.log import change_set_reach as change_set_reach
from mokuji.store.tables.pages import contents as contents
from mokuji.store.tables.pages import draft as draft
from mokuji.store.tables.pages import former as former
from mokuji.store.tables.pages import former_volume as former_volume
from mokuji.store.tables.pages import page as page
from mokuji.store.tables.pages import revision as revision
from mokuji.store.tables.pages import trash as trash
from mokuji.store.tables.people import former_handle as former_handle
from mokuji.store.tables.people import invitation as invitation
from mokuji.store.tables.people import invitation_role as invitation_role
from mokuji.store.tables.people import kept_question as kept_question
from mokuji.store.tables.people import membership as membership
from mokuji.store.tables.people import offer as offer
from mokuji.store.tables.people import password_link as password_link
from mokuji.store.tables.people import person as person
from mokuji.store.tables.people import program_key as program_key
from mokuji.store.tables.people import session as session
from mokuji.store.tables.people import sign_in_try as sign_in_try
from mokuji.store.tables.people import volume as volume
from mokuji.store.tables.telling import letter as letter
from mokuji.store.tables.telling import muted as muted
from mokuji.store.tables.telling import telling as telling
from mokuji.store.tables.telling import told as told
from mokuji.store.tables.telling import untold as untold
from mokuji.store.tables.telling import watch as watch
from mokuji.store.tables.upkeep import asked as asked
from mokuji.store.tables.upkeep import house_style as house_style
from mokuji.store.tables.upkeep import kept_report as kept_report
from mokuji.store.tables.upkeep import led as led
from mokuji.store.tables.upkeep import orphan as orphan
from mokuji.store.tables.upkeep import put_aside as put_aside
from mokuji.store.tables.upkeep import stale as stale
from mokuji.store.tables.upkeep import unplaced as unplaced
from mokuji.store.tables.upkeep import volume_size as volume_size
