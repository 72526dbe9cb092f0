"""Nothing lost: many writers at once, and processes killed at any moment."""

import json
import random
import signal
import subprocess
import time

import pytest

from tests.conftest import HANGS_S
from tests.moment import program

FLOW = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.54 0.53 0.54"


def start(bench):
    return subprocess.Popen(
        program(*FLOW.split(), "--json"),
        cwd=bench.folder,
        env=bench.environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )


@pytest.mark.slow
def test_processes_that_record_at_once_lose_nothing(heron):
    running = [start(heron) for _ in range(20)]
    numbers = []
    for process in running:
        out, err = process.communicate(timeout=HANGS_S)
        assert process.returncode == 0, err
        numbers.append(json.loads(out)["trial"])
    assert sorted(numbers) == list(range(1, 21))
    assert heron.json("history")["count"] == 20


@pytest.mark.slow
def test_processes_that_make_the_same_logbook_at_once_all_succeed(metier):
    running = [
        subprocess.Popen(
            program("printer", "add", f"wren-{number}", "--nozzle", "0.8"),
            env=metier.environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
        )
        for number in range(8)
    ]
    for process in running:
        _, err = process.communicate(timeout=HANGS_S)
        assert process.returncode == 0, err
    assert len(metier.json("printer list")["printers"]) == 8


@pytest.mark.slow
def test_a_process_killed_at_any_moment_loses_no_acknowledged_trial(heron):
    noise = random.Random(7)
    acknowledged = set()
    for _ in range(30):
        process = start(heron)
        time.sleep(noise.uniform(0.0, 0.12))
        process.send_signal(signal.SIGKILL)
        out, _ = process.communicate(timeout=HANGS_S)
        if out.endswith("\n"):
            acknowledged.add(json.loads(out)["trial"])
    acknowledged.add(heron.json(FLOW)["trial"])
    listed = heron.json("history --limit 100")["trials"]
    assert acknowledged <= {trial["number"] for trial in listed}
    # Whole or not at all: no trial without its readings and its finding.
    for trial in listed:
        assert [reading["typed"] for reading in trial["readings"]] == ["0.54", "0.53", "0.54"]
        assert trial["findings"]["verdict"] == trial["verdict"]
