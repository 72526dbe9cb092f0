"""Ctrl-C and kills at any moment: no traceback, and what was acknowledged is there."""

import json
import random
import signal
import subprocess
import time

import pytest

from tests.conftest import HANGS_S, LONG, METIER

FLOW = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --line-model rounded"
TIMES = 25 * LONG


def started(bench, line, **more):
    return subprocess.Popen(
        [METIER, *line.split()],
        env={**bench.environment, "METIER_DEBUG": ""},
        cwd=bench.folder,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        **more,
    )


@pytest.mark.slow
@pytest.mark.parametrize(
    "line", ["profile", f"{FLOW} --read 0.5 0.51", "xy --hole 4=3.8 6=5.8 10=9.8"]
)
def test_ctrl_c_at_any_moment_is_no_traceback(heron, line):
    rng = random.Random(line)
    began = time.monotonic()
    assert heron.process(line).status == 0
    takes_s = time.monotonic() - began
    for _ in range(TIMES):
        process = started(heron, line)
        time.sleep(rng.random() * takes_s)
        process.send_signal(signal.SIGINT)
        out, err = process.communicate(timeout=HANGS_S)
        if "metier/" not in err and "KeyboardInterrupt" in err:
            # The interpreter, or the script that starts the program, was still coming up.
            continue
        assert "Traceback" not in err, err
        assert process.returncode in (0, 130, -signal.SIGINT), (process.returncode, err)
        if process.returncode == 0:
            assert out
    assert heron.json("logbook check")["sound"]


@pytest.mark.slow
def test_kills_while_recording_lose_nothing_that_was_acknowledged(heron):
    rng = random.Random(7)
    began = time.monotonic()
    assert heron.process(f"{FLOW} --read 0.5 --json").status == 0
    takes_s = time.monotonic() - began
    acknowledged = set()
    for _ in range(TIMES):
        process = started(heron, f"{FLOW} --read 0.5 0.51 --json")
        time.sleep(rng.random() * takes_s)
        process.kill()
        out, _ = process.communicate(timeout=HANGS_S)
        if out.endswith("\n"):
            acknowledged.add(json.loads(out)["trial"])
    trials = heron.json("history --limit 9999")["trials"]
    assert acknowledged <= {one["number"] for one in trials}
    # Whole or not at all.
    assert all(one["readings"] and one["findings"] for one in trials)
    assert heron.json("logbook check")["sound"]


def _kept(heron):
    """Return how many readings stand in drafts, each on a whole line."""
    drafts = [one.read_bytes() for one in heron.folder.glob("*-readings.*")]
    return sum(line.endswith(b"}\n") and b'"side"' in line
               for draft in drafts for line in draft.splitlines(keepends=True))  # fmt: skip


@pytest.mark.slow
def test_kills_while_typing_lose_nothing_that_was_typed(heron):
    """Whatever number the process had: in a container it is always the same one."""
    rng = random.Random(8)
    typed = []
    for number in range(TIMES):
        more = "--resume" if typed else ""
        process = started(heron, f"{FLOW} {more}", stdin=subprocess.PIPE)
        reading = f"0.{rng.randint(45, 55)}"
        process.stdin.write(f"{reading}\n")
        process.stdin.flush()
        give_up = time.monotonic() + HANGS_S
        # It is on the disk: from here on it is owed to whoever typed it.
        while _kept(heron) <= len(typed):
            assert time.monotonic() < give_up, number
            time.sleep(0.005)
        typed.append(reading)
        time.sleep(rng.random() * 0.01)
        process.kill()
        process.communicate()
    assert heron(f"{FLOW} --resume --json", typed="\n").status == 0
    taken = [one["typed"] for one in heron.json("history 1")["trials"][0]["readings"]]
    assert taken == typed
