"""A modality owns itself: one that nobody has is added by two files, and is then screened, planned, run, closed and
told of like any other.
"""

import json
import os
import subprocess
import sys
from pathlib import Path

from builders.database import ROOT, demo_database
from builders.made_up import LINES, written


def told(folder: Path, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
    """A program that finds the folder among its modalities, and what it says."""
    run = [sys.executable, "-m", "builders.made_up", str(folder), *words]
    return subprocess.run(run, cwd=ROOT, capture_output=True, text=True, check=False, env={**os.environ, **environment})


def test_a_made_up_modality_goes_from_screening_to_the_next_start(
    demo: str, run_folder: Path, worker_id: str, tmp_path: Path
) -> None:
    """In a studio of its own, which has a machine for it."""
    written(tmp_path)
    ran = told(tmp_path, MERAK_DATABASE_URL=demo_database(f"merak_made_up_{worker_id}", run_folder))
    assert ran.returncode == 0, ran.stderr
    found = json.loads(ran.stdout)
    assert found == {
        "stopped": "no",
        "asked": "go",
        "proposed": True,
        "refused": ["bubble_comb.most"],
        "summed": [["bubble_comb.longest", "Bubbles: 8 + 8 = 16 min; 10 min in one visit"]],
        "programme": [[3, ["mid cheek"], "up"], [2, ["mid cheek"], "down"]],
        "given": "5.0 min",
        "startable": True,
        "acts": [["Bubble comb: make ready", "free", ""], ["Bubble comb", "sections", "Comb off."]],
        "halt": "Comb off, water off.",
        "sheet": ["No bath at all."],
        "history": [2, "seen"],
        "upgraded": {"at": 3, "minutes": 5},
    }


def test_left_out_of_any_list_the_book_does_not_load(tmp_path: Path) -> None:
    written(tmp_path)
    ran = told(tmp_path, "line by line")
    assert ran.returncode == 0, ran.stderr
    found = json.loads(ran.stdout)
    assert found.keys() == LINES.keys()
    # An aspect that nothing rules on, a condition that others help as well, and a programme are no lists that it has to
    # stand in.
    whole = [name for name, faults in found.items() if not faults]
    assert set(whole) <= {"help", "aspect", "programme"}, whole
    assert all("bubble" in " ".join(faults) for name, faults in found.items() if faults)
