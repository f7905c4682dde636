"""The JSON interface held to its own description by Schemathesis: no fault of the program, nothing undescribed.

The usual run takes a fixed share of examples, the same each time; ``bin/test --long`` takes many more, and goes through
states.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterator
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import (
    content_type_conformance,
    not_a_server_error,
    response_headers_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from schemathesis.core.failures import Failure, FailureGroup

from mokuji.server import create_app
from mokuji.services.app_context import AppContext
from tests.application import TestClient

EXAMPLES = int(os.environ.get("MOKUJI_INTERFACE_EXAMPLES", "3"))
"""Examples of each operation."""
LAST = "/api/v1/session"
THERE = {"volume": "field-guide", "page": "crane-lift"}
CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
    response_headers_conformance,
]


@schemathesis.serializer("application/zip")
def as_sent(_: object, value: object) -> bytes:
    """What is sent in the place of a zip."""
    return value if isinstance(value, bytes) else str(value).encode("utf-8", "replace")


@pytest.fixture(scope="module")
def interface(demo_template: str, server: str) -> Iterator[tuple[Any, str]]:
    """The description of an interface over a copy of the demo, and the token of somebody who writes there."""
    from tests.copies import copy_of

    for engine in copy_of(server, demo_template):
        app = create_app(AppContext(engine, b"a key for tests only", demo=True), ["mokuji.test"])
        client = TestClient(app, base_url="http://mokuji.test")
        told = client.post("/api/v1/session", json={"handle": "wenna", "password": "buoy"}).json()
        yield (
            schemathesis.openapi.from_asgi("/api/v1/openapi.json", app, headers={"Host": "mokuji.test"}),
            told["token"],
        )


def test_every_operation_answers_as_it_is_described(interface: tuple[Any, str]) -> None:
    schema, token = interface
    faults: list[str] = []
    codes: Counter[int] = Counter()
    operations = [result.ok() for result in schema.get_all_operations()]
    # Who has signed out is answered by little.
    for operation in sorted(operations, key=lambda each: (each.path, each.method) == (LAST, "delete")):
        _ask(operation, token, codes, faults)
    assert sum(codes.values()) > 100 and codes[200] + codes[201] > 30, codes
    assert faults == [], "\n".join(faults[:20])


def _ask(operation: Any, token: str, codes: Counter[int], faults: list[str]) -> None:
    asked = 0

    def one(case: Any) -> None:
        nonlocal asked
        asked += 1
        if asked % 3:
            # What is there is more telling than made-up names.
            case.path_parameters.update({n: v for n, v in THERE.items() if n in case.path_parameters})
        response = case.call(headers={"Authorization": f"Bearer {token}", "Host": "mokuji.test"})
        codes[response.status_code] += 1
        try:
            case.validate_response(response, checks=CHECKS)
        except (Failure, FailureGroup) as fault:
            faults.append(f"{operation.method} {operation.path}: {_said(fault)}")

    tried = given(case=operation.as_strategy())(one)
    settings(
        max_examples=EXAMPLES,
        derandomize=True,
        deadline=None,
        database=None,
        phases=[Phase.explicit, Phase.generate],
        suppress_health_check=list(HealthCheck),
    )(tried)()


def _said(fault: BaseException) -> str:
    inner = getattr(fault, "exceptions", None) or [fault]
    return " / ".join(str(each)[:700] for each in inner)


@pytest.mark.skipif(
    "MOKUJI_INTERFACE_EXAMPLES" not in os.environ, reason="bin/test --long goes through states"
)
def test_what_follows_from_each_other_keeps_to_the_description(interface: tuple[Any, str]) -> None:
    """Operations one after the other, each with what the one before answered."""
    schema, token = interface

    class Walk(schema.as_state_machine()):  # type: ignore[misc]
        def get_call_kwargs(self, case: Any) -> dict[str, Any]:
            return {"headers": {"Authorization": f"Bearer {token}", "Host": "mokuji.test"}}

        def validate_response(self, response: Any, case: Any, **_: Any) -> None:
            case.validate_response(response, checks=CHECKS)

    Walk.run(settings=settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck)))
