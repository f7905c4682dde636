"""Make references of outside links on a page that lead to pages of this wiki."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.request import lines, request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.language.page import Page
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.link import Address, AddressesLinked, link_addresses
from mokuji.core.reports.own_addresses import own_addresses


@request
class LinkAddresses:
    """Make references of outside links on a page that lead to pages of this wiki."""

    volume: str
    page: str
    origins: Annotated[
        tuple[str, ...],
        Field(description="How addresses of this wiki begin, such as https://docs.example"),
        lines("origin"),
    ] = ()
    act: Literal["link addresses"] = Field(default="link addresses", kw_only=True)


def plan(context: StoredContext, request: LinkAddresses) -> Plan:
    head = context.page(request.volume, request.page, Permission.WRITE)
    page = Page(head, context.wiki.pages([head.id])[head.id].text)
    readable = {volume.key: volume for volume in context.volumes.values()}
    addresses = list(own_addresses(page, request.origins, readable))
    known = context.wiki.titles({address.place for address in addresses})
    wanted = [
        Address(address.span, known[address.place].id, address.words, address.section)
        for address in addresses
        if address.place in known
    ]
    if not wanted:
        raise Refused(f"“{head.title}” holds no address of a page of this wiki.", code="nothing_to_do")
    return link_addresses(context.wiki, head.id, wanted)


def sentence(_: PlanView, __: LinkAddresses, facts: AddressesLinked) -> str:
    addresses = counted(facts.links, "address", "addresses")
    return f"{addresses} on “{facts.page}” will be {'a reference' if facts.links == 1 else 'references'}."


def note(facts: AddressesLinked) -> Phrase:
    return f"Addresses on “{facts.page}” are references now"


def button(_: PlanView, __: LinkAddresses, facts: AddressesLinked) -> str:
    return f"Link {counted(facts.links, 'place')}"


ACT = Act(
    LinkAddresses,
    AddressesLinked,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Make references of addresses",
    done="Linked",
    button=button,
    address="address",
    asked="origin",
    logged="link",
)
