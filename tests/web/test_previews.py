"""Screening and plans as JSON: computed from what is sent, with this studio's machines, and nothing of it kept."""

import psycopg
import pytest

from builders.server import Server, sign_in
from merak.core.plan.screening import questions

NOTHING = {question.id: {"option": question.options[0].id} for question in questions(True)}
WHO = {"born": "1980-05-01", "returning": True, "answers": NOTHING, "findings": {"arrived": "washed"}}


def kept(demo: str) -> object:
    with psycopg.connect(demo) as db:
        return db.execute(
            "SELECT (SELECT count(*) FROM record), (SELECT count(*) FROM audit WHERE action <> 'read')"
        ).fetchone()


def one_stage(modality: str, **settings: object) -> dict[str, object]:
    stage = {"id": "a", "modality": modality, "settings": settings}
    return {"id": "a", "modality": modality, "stages": [stage]}


def test_previews_compute_and_keep_nothing(server: Server, demo: str) -> None:
    client, before = sign_in(server.url, "adaeze"), kept(demo)
    board = client.post(
        "/api/screening/preview", json=WHO | {"answers": NOTHING | {"implants": {"option": "implanted"}}}
    ).json()["board"]
    assert (
        board["microcurrent"]["verdict"] == "never"
        and board["led"]["verdict"] == "go"
        and board["microcurrent"]["reasons"][0]["rule"]
    )
    step = one_stage("microcurrent", level=2)
    findings = {"arrived": "washed", "phototype": 2, "grades": {"laxity": {"left jawline": 2}}}
    found = client.post("/api/plans/preview", json=WHO | {"findings": findings, "plan": {"steps": [step]}}).json()
    assert found["computed"]["startable"] and found["computed"]["numbers"]["a.current"]["value"] == pytest.approx(90)
    assert found["proposals"] and all(one["computed"]["startable"] for one in found["proposals"])
    assert kept(demo) == before


@pytest.mark.parametrize(
    ("change", "rule"),
    [({"level": 9.9}, "microcurrent.ceiling.current"), ({"level": 3, "polarity": "positive", "repeats": 3}, "")],
)
def test_no_ceiling_is_passed_through_the_api(server: Server, change: dict[str, object], rule: str) -> None:
    client = sign_in(server.url, "marit")
    body = WHO | {"propose": False, "plan": {"steps": [one_stage("microcurrent", **change)]}}
    computed = client.post("/api/plans/preview", json=body).json()["computed"]
    assert computed["startable"] == (not rule)
    assert not rule or computed["refused"]["a.level"]["rule"] == rule
    smuggled = body | {
        "overrides": [{"rule": rule, "modality": "microcurrent", "words": "", "reason": "because", "by": "me"}]
    }
    assert client.post("/api/plans/preview", json=smuggled).json()["computed"]["startable"] == (not rule), (
        "no word of a senior is taken here"
    )


def test_bad_previews_are_told_by_field(server: Server) -> None:
    client = sign_in(server.url, "adaeze")
    wrong = client.post("/api/plans/preview", json=WHO | {"plan": {"steps": [{"id": "A!", "modality": "magic"}]}})
    assert wrong.status_code == 422 and set(wrong.json()["error"]["fields"]) == {"id", "modality", "stages"}
    twice = client.post("/api/plans/preview", json=WHO | {"plan": {"steps": [one_stage("led")] * 2}})
    assert twice.status_code == 422
    tape = client.post("/api/plans/preview", json=WHO | {"findings": {"ear_to_ear_mm": 1300}})
    assert tape.status_code == 422 and "1300" in str(tape.json()["error"]["fields"])
    assert (
        client.post("/api/screening/preview", json=WHO | {"answers": {"heart": {"option": "perhaps"}}}).status_code
        == 422
    )
