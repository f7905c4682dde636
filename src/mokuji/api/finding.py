"""Finding pages, in JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from fastapi import Path, Query

from mokuji import routing
from mokuji.api import finding_schemas as schemas
from mokuji.api.asking import FAULTS, Changer, Reader, TheApp
from mokuji.core.finding.picking import Quoted
from mokuji.core.finding.ranking import Tier
from mokuji.services.reading import questions, reading, searching
from mokuji.services.reading.searching import Answer, Found

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])

_By = Literal["name", "alias", "near", "heading", "words", "put_in", "by_part"]
_BY: dict[Tier, _By] = {
    Tier.TITLE: "name",
    Tier.SAME_TITLE: "name",
    Tier.IN_TITLE: "name",
    Tier.ALIAS: "alias",
    Tier.IN_ALIAS: "alias",
    Tier.NEAR_NAME: "near",
    Tier.ALMOST: "near",
    Tier.IN_HEADING: "heading",
    Tier.IN_TEXT: "words",
    Tier.PUT_IN: "put_in",
}


@router.get("/find")
def find(
    app: TheApp, actor: Reader, words: str, volume: str = "", page: Annotated[int, Query(ge=0, le=50)] = 0
) -> schemas.FoundPages:
    """Find pages by a question on one line (docs/finding.md); ``volume`` narrows it to one."""
    if volume:
        reading.need_volume(app, actor, volume)
    answer = searching.find(app, actor, words, volume, page)
    return schemas.FoundPages(
        pages=[*map(_found, answer.found), *_by_part(answer)],
        files=[
            schemas.FoundFile(
                volume=answer.volumes[each.volume].key, name=each.name, type=each.type, size=each.size
            )
            for each in answer.files
        ],
        more=answer.more,
        problem=answer.question.problem,
        instead={word: list(others) for word, others in answer.instead.items()},
        counts=schemas.FoundCounts(
            volumes=[
                schemas.FoundNumber(
                    value=answer.volumes[id_].key, name=answer.volumes[id_].title, pages=number
                )
                for id_, number in answer.counts.volumes.items()
            ],
            categories=_numbers(answer.counts.categories),
            fields=_numbers(answer.counts.fields),
            people=_numbers(answer.counts.people),
        ),
    )


@router.get("/questions")
def kept(app: TheApp, actor: Reader) -> list[schemas.KeptQuestion]:
    """The questions that you keep, and those that are shared with you."""
    return [
        schemas.KeptQuestion(
            number=each.kept.id,
            name=each.kept.name,
            line=each.kept.line,
            volume=each.volume.key if each.volume else None,
            shared=each.kept.shared,
            own=each.own,
            by=each.kept.by,
        )
        for each in questions.kept(app, actor)
    ]


@router.post("/questions", status_code=201)
def keep(app: TheApp, actor: Changer, body: schemas.QuestionToKeep) -> schemas.KeptQuestion:
    """Keep a question by a name, in the place of your own of the same name."""
    number = questions.keep(app, actor, body.name, body.line, body.volume, shared=body.shared)
    return next(each for each in kept(app, actor) if each.number == number)


@router.delete("/questions/{number}", status_code=204)
def forget(app: TheApp, actor: Changer, number: Annotated[int, Path(ge=1, le=2**31 - 1)]) -> None:
    """Take away a question: your own, or one shared in a volume that you own."""
    questions.forget(app, actor, number)


def _numbers(counted: Sequence[tuple[str, str, int]]) -> list[schemas.FoundNumber]:
    return [schemas.FoundNumber(value=value, name=name, pages=number) for value, name, number in counted]


def _found(each: Found) -> schemas.FoundPage:
    return schemas.FoundPage(
        volume=each.volume.key,
        key=each.hit.head.key,
        title=each.hit.head.title,
        by="put_in" if each.through else _BY[each.hit.tier],
        sentences=[_sentence(said) for said in each.quoted],
        put_in_from=each.through.title if each.through else None,
        led_to_by=each.hit.led,
    )


def _sentence(said: Quoted) -> schemas.FoundSentence:
    return schemas.FoundSentence(
        section=said.anchor,
        heading=said.section,
        words="".join(piece.words for piece in said.pieces),
        found=[piece.words for piece in said.pieces if piece.marked],
    )


def _by_part(answer: Answer) -> list[schemas.FoundPage]:
    return [
        schemas.FoundPage(
            volume=answer.volumes[each.volume].key,
            key=each.key,
            title=each.title,
            by="by_part",
            sentences=[],
            put_in_from=None,
            led_to_by=0,
        )
        for each in answer.named
    ]
