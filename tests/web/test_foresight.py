"""One fold: what the browser foresees of a tap is what the core makes of it, for every kind of tap and act."""

import json
import shutil
import subprocess
from collections import Counter
from pathlib import Path

import pytest

from builders.database import ROOT
from builders.taps import ORDERS, transitions
from merak.core.treatment import KINDS
from merak.core.treatment.taps import OLD_NAMES

#: Runs of each order, taps of each run: more than ten thousand in all.
RUNS, LENGTH = 24, 90


@pytest.mark.parametrize("name", ORDERS)
def test_the_browser_foresees_what_the_core_decides(name: str, tmp_path: Path) -> None:
    node = shutil.which("node")
    assert node, "./test installs Node"
    corpus = transitions(name, RUNS, LENGTH)
    path = tmp_path / "corpus.json"
    path.write_text(json.dumps(corpus))
    done = subprocess.run(
        [node, "tests/js/corpus.mjs", str(path)], cwd=ROOT, capture_output=True, text=True, check=True
    )
    found = json.loads(done.stdout)
    assert found["seen"] == RUNS * LENGTH and RUNS * LENGTH * len(ORDERS) > 10_000
    assert set(found["kinds"]) == KINDS - OLD_NAMES.keys(), "every kind of tap"
    assert found["differ"] == [], found["many"]
    deep = Counter(run["status"] for one in corpus for run in [one["steps"][-1]["after"]])
    strokes = [
        [sum(act.get("strokes", 0) for act in step[key]["acts"]) for key in ("before", "after")]
        for one in corpus
        for step in one["steps"]
    ]
    counted = sum(after > before for before, after in strokes)
    assert len(deep) >= 3 and (counted >= RUNS // 2 or name == "peel"), "the taps lead deep into treatments"
