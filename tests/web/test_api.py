"""The API against whatever its own OpenAPI allows, and against what it does not: never a 5xx."""

from contextlib import suppress

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from hypothesis.errors import Unsatisfiable
from schemathesis import Case, GenerationMode

from builders.server import Server, sign_in


@pytest.mark.parametrize(
    "mode", [GenerationMode.POSITIVE, GenerationMode.NEGATIVE], ids=["as allowed", "as not allowed"]
)
def test_no_request_breaks_the_server(server: Server, mode: GenerationMode) -> None:
    client = sign_in(server.url, "tomas")
    cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    headers = {"x-csrf-token": client.headers["x-csrf-token"], "cookie": cookies}
    api = schemathesis.openapi.from_url(f"{server.url}/api/openapi.json", headers=headers).include(path_regex="^/api/")
    seen: set[str] = set()
    for result in api.get_all_operations():
        cases: st.SearchStrategy[Case] = result.ok().as_strategy(generation_mode=mode)

        @settings(
            max_examples=5,
            deadline=None,
            database=None,
            derandomize=True,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(case=cases)
        def asked(case: Case) -> None:
            answer = case.call(headers=headers)
            assert answer.status_code < 500, f"{case.method} {case.formatted_path}: {answer.text}"
            assert answer.status_code != 401
            if answer.status_code == 422:
                assert answer.json()["error"]["words"], "says what is wrong"
            seen.add(case.path)

        with suppress(Unsatisfiable):  # nothing of it can be wrong
            asked()
    assert len(seen) > 60, "every calculation and every modality was asked"


@pytest.mark.parametrize("gel_mm", [5e-324, 1e-9, 0.0099, 0.01])
def test_a_breath_of_gel_is_none(server: Server, gel_mm: float) -> None:
    client = sign_in(server.url, "tomas")
    warmest = [client.post("/api/bench/heat", json={"power_w": 17, "gel_mm": mm}).json() for mm in (gel_mm, 0)]
    assert "error" not in warmest[0] and warmest[0].keys() == warmest[1].keys()
