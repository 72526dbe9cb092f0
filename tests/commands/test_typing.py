"""Readings typed one by one: through a pipe, at a terminal, interrupted and gone on with."""

import json
import os
import pty
import select
import signal
import subprocess
import sys
import time

import pytest

from tests.conftest import HANGS_S, forked_child
from tests.moment import program

FLOW = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --line-model rounded"


def piped(bench, line, text):
    return bench(line, typed=text)


class Terminal:
    """A terminal on which a command runs and somebody types."""

    def __init__(self, bench, line):
        self.child, self.screen = pty.fork()
        if self.child == 0:
            with forked_child():
                # As a shell does for what it starts: whoever runs the tests may ignore Ctrl-C.
                signal.signal(signal.SIGINT, signal.SIG_DFL)
                signal.signal(signal.SIGHUP, signal.SIG_DFL)
                os.chdir(bench.folder)
                environment = {**bench.environment, "TERM": "dumb"}
                os.execve(sys.executable, program(*line.split()), environment)
        self.text = ""

    def until(self, words):
        """Wait until the command has shown these words, and forget all up to them."""
        give_up = time.monotonic() + HANGS_S
        while words not in self.text:
            assert time.monotonic() < give_up, self.text
            if not select.select([self.screen], [], [], 1)[0]:
                continue
            try:
                self.text += os.read(self.screen, 4096).decode()
            except OSError:
                break
        assert words in self.text, self.text
        self.text = self.text.split(words, 1)[1]
        return self

    def type(self, line):
        os.write(self.screen, f"{line}\n".encode())
        return self

    def interrupt(self):
        """Press Ctrl-C until it is heard: just before a read begins, Python keeps it for later."""
        while not os.waitpid(self.child, os.WNOHANG)[0]:
            os.kill(self.child, signal.SIGINT)
            time.sleep(0.2)
        os.close(self.screen)

    def status(self):
        _, status = os.waitpid(self.child, 0)
        os.close(self.screen)
        return os.waitstatus_to_exitcode(status)


def drafts(bench):
    return sorted(bench.folder.glob("logbook.sqlite.*-readings.*"))


def test_a_pipe_goes_round_the_part(heron):
    ran = piped(heron, f"{FLOW} --json", "0.54\n0,55\n.53\n0.54\nu\n0.55\n\n0.99\n")
    assert (ran.status, ran.err) == (0, "")
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [(one["side"], one["typed"]) for one in taken] == [
        ("front", "0.54"), ("right", "0,55"), ("back", ".53"), ("left", "0.55"),
    ]  # fmt: skip
    assert drafts(heron) == []


def test_without_a_logbook_a_pipe_answers_too(metier):
    ran = piped(metier, f"{FLOW} --json", "0.54\n0.54\n")
    assert ran.status == 0
    assert drafts(metier) == []
    assert not metier.logbook.exists()


def test_esteps_and_diameter_are_asked_for_as_well(heron):
    assert piped(heron, "esteps --asked 150 --mark 180", "35.1\n34.8\n").status == 0
    assert piped(heron, "diameter", "1.74/1.72\n1.73\n").status == 0
    trials = heron.json("history")["trials"]
    assert [len(one["readings"]) for one in trials] == [3, 2]
    assert trials[1]["findings"]["moved_mm"] == pytest.approx(180 - 34.95)
    assert trials[0]["readings"][1]["side"] == "place 1"


@pytest.mark.parametrize("text", ["", "\n", "u\n"])
def test_an_empty_pipe_has_no_readings(heron, text):
    ran = piped(heron, FLOW, text)
    assert (ran.status, ran.err.count("\n")) == (2, 1)
    assert "no readings" in ran.err


def test_a_bad_line_in_a_pipe_loses_nothing_before_it(heron):
    # A draft belongs to its process: one that still runs has not interrupted anything.
    ran = heron.process(FLOW, typed="0.54\n0.55\nthick\n0.53\n")
    assert (ran.status, ran.err.count("\n")) == (2, 1)
    assert "thick" in ran.err
    again = piped(heron, FLOW, "0.53\n")
    assert (again.status, again.err.count("\n")) == (2, 1)
    # It says what they were typed for.
    assert "0.54 0.55, for flow of fern-1 on heron (nozzle heron-0.5), layer 0.2 mm" in again.err
    assert "--resume" in again.err
    resumed = piped(heron, f"{FLOW} --resume --json", "0.53\n")
    assert resumed.status == 0
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["typed"] for one in taken] == ["0.54", "0.55", "0.53"]
    assert drafts(heron) == []
    assert "no interrupted entry" in piped(heron, f"{FLOW} --resume", "0.5\n").err


def test_a_killed_process_leaves_its_readings_to_the_next(heron):
    process = subprocess.Popen(
        program(*FLOW.split()), env=heron.environment, stdin=subprocess.PIPE, text=True
    )
    process.stdin.write("0.54\n0.55\n")
    process.stdin.flush()
    give_up = time.monotonic() + HANGS_S
    while not (drafts(heron) and drafts(heron)[0].read_text().count("\n") == 3):
        assert time.monotonic() < give_up
        time.sleep(0.01)
    # While it runs its draft is nobody else's business.
    assert piped(heron, f"{FLOW} --json", "0.50\n0.50\n").status == 0
    process.send_signal(signal.SIGKILL)
    process.stdin.close()
    process.wait(60)
    assert "0.54 0.55" in piped(heron, FLOW, "0.5\n").err
    # A file given all at once is another matter, and the draft stays.
    heron.json(f"{FLOW} --read 0.5")
    assert piped(heron, f"{FLOW} --start-over --json", "0.50\n").status == 0
    assert drafts(heron) == []


def test_at_a_terminal_it_asks_explains_and_checks(heron):
    screen = Terminal(heron, FLOW)
    screen.until("front").until(">").type("?").until("without squeezing").until("front")
    screen.type("0.54").until("mean 0.540").until("right")
    screen.type("5.5").until("was it 0.55?").until("right")
    screen.type("0.55").until("scatter").until("2 readings").until("back")
    screen.type("0.54").until("left").type("0.64").until("misread? u takes it back")
    screen.until("front").type("u").until("took back 0.64").until("left").type("0.53")
    screen.until("front").type("").until("UNCLEAR")
    assert screen.status() == 0
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["typed"] for one in taken] == ["0.54", "0.55", "0.54", "0.53"]


@pytest.mark.parametrize(("answer", "count"), [("", 2), ("y", 2), ("n", 1)])
def test_an_interrupted_entry_is_offered_at_a_terminal(heron, answer, count):
    screen = Terminal(heron, FLOW)
    screen.until("front").until(">").type("0.54").until("mean").until(">")
    # Just before a read begins, Python keeps Ctrl-C for later.
    time.sleep(0.3)
    os.kill(screen.child, signal.SIGINT)
    screen.until("kept: the next start")
    assert screen.status() == 130
    screen = Terminal(heron, FLOW).until("0.54").until("[Y/n]").type(answer).until(">")
    screen.type("0.55").until("mean").until(">").type("").until("trial 1")
    assert screen.status() == 0
    assert len(heron.json("history 1")["trials"][0]["readings"]) == count
    assert drafts(heron) == []


def test_a_terminal_that_goes_away_records_nothing_and_loses_nothing(heron):
    screen = Terminal(heron, FLOW)
    screen.until("front").until(">").type("0.54").until("mean").until(">")
    os.close(screen.screen)
    os.waitpid(screen.child, 0)
    assert heron.json("history")["trials"] == []
    assert "0.54" in piped(heron, FLOW, "0.5\n").err


def interrupted(bench, line, typed):
    """Leave an entry unfinished, as a bad line in a pipe does."""
    assert bench.process(line, typed=f"{typed}thick\n").status == 2


def test_a_torn_line_swallows_neither_what_was_before_nor_what_comes(heron):
    interrupted(heron, FLOW, "0.54\n0.55\n")
    (draft,) = drafts(heron)
    draft.write_bytes(draft.read_bytes() + b'{"side": "back", "ty')
    assert piped(heron, f"{FLOW} --resume", "0.53\nthick\n").status == 2
    assert piped(heron, f"{FLOW} --resume --json", "0.52\n").status == 0
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["typed"] for one in taken] == ["0.54", "0.55", "0.53", "0.52"]


def test_what_was_recorded_is_never_offered_again(heron):
    interrupted(heron, FLOW, "0.54\n0.55\n")
    (draft,) = drafts(heron)
    kept = draft.read_bytes()
    assert piped(heron, f"{FLOW} --resume --json", "0.53\n").status == 0
    # As if the process had been killed after it recorded and before it dropped the draft.
    draft.write_bytes(kept)
    assert piped(heron, f"{FLOW} --json", "0.50\n").status == 0
    assert drafts(heron) == []


def test_readings_typed_for_another_bench_wait_for_it(heron):
    interrupted(heron, FLOW, "0.54\n0.55\n")
    heron.json("spool add smoke-1 --material PETG")
    heron.json("bench --spool smoke-1")
    refused = piped(heron, f"{FLOW} --resume", "0.5\n").err
    assert "no interrupted entry is kept for this bench: fern-1 on heron" in refused
    assert piped(heron, f"{FLOW} --json", "0.50\n").status == 0
    heron.json("bench --spool fern-1")
    screen = Terminal(heron, FLOW.replace("0.5 ", "0.55 ")).until("width_mm 0.5)")
    screen.until("[Y/n]").type("n").until(">").type("0.6").until("mean").until(">").type("")
    screen.until("trial 2")
    assert screen.status() == 0
    assert drafts(heron) == []


def test_a_plan_and_what_is_measured_without_one_are_apart(heron):
    plan = heron.json("flow --plan --width 0.5 --walls 1 --layer 0.2 --flow 100")["trial"]
    interrupted(heron, f"flow --trial {plan} --line-model rounded", "0.54\n")
    assert piped(heron, f"{FLOW} --json", "0.50\n").status == 0
    again = piped(heron, f"flow --trial {plan} --line-model rounded --resume --json", "0.55\n")
    assert len(json.loads(again.out)["sections"]) == 1
    taken = heron.json(f"history {plan}")["trials"][0]["readings"]
    assert [one["typed"] for one in taken] == ["0.54", "0.55"]


@pytest.mark.parametrize("strict", [{}, {"PYTHONIOENCODING": "utf-8:strict"}])
def test_bytes_that_are_no_text_cost_their_line_alone(heron, strict):
    ran = subprocess.run(
        program(*FLOW.split()), input=b"0.54\n0.5\xff\n0.55\n", capture_output=True,
        env={**heron.environment, **strict}, check=False,
    )  # fmt: skip
    assert ran.returncode == 2
    assert b"no text in this terminal" in ran.stderr
    assert b"damaged" not in ran.stderr
    assert piped(heron, f"{FLOW} --resume --json", "0.55\n").status == 0
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["typed"] for one in taken] == ["0.54", "0.55"]


def test_a_reading_taken_back_does_not_return_with_the_rest(heron):
    ran = heron.process(FLOW, typed="0.54\n0.99\nu\n0.55\nthick\n")
    assert ran.status == 2
    assert piped(heron, f"{FLOW} --resume --json", "0.53\n").status == 0
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["typed"] for one in taken] == ["0.54", "0.55", "0.53"]


def test_the_line_model_is_asked_for_at_a_terminal_and_remembered(untold):
    line = "flow --width 0.44 --walls 1 --layer 0.2 --flow 100 --read 0.47 0.48"
    terminal = Terminal(untold, line)
    terminal.until("1  0.397 mm  (rounded)").until("2  0.440 mm  (rectangular)")
    terminal.until("cannot tell > ").type("0.4").until("'0.4' is none of them")
    terminal.until("cannot tell > ").type("2").until("rectangular")
    assert terminal.status() == 0
    assert untold.json("history 1")["trials"][0]["settings"]["line_model"] == "rectangular"
    assert untold.json("printer show heron")["printer"]["line_model"] == "rectangular"
    # Known now, it is not asked for again; and never where nobody sits.
    asked_again = Terminal(untold, line)
    asked_again.until("Flow: fern-1 on heron")
    assert asked_again.status() == 0


def test_a_line_model_that_cannot_be_told_stays_open(untold):
    terminal = Terminal(untold, "flow --width 0.44 --walls 1 --layer 0.2 --flow 100 --read 0.47")
    terminal.until("cannot tell > ").type("").until("UNCLEAR")
    assert terminal.status() == 0
    assert untold.json("printer show heron")["printer"]["line_model"] is None
    answered = untold("printer set heron --line-model", typed="0.44\n0.2\n\n")
    assert (answered.status, "stays open" in answered.out) == (0, True)
    told = json.loads(
        untold("printer set heron --line-model --width 0.44 --json", typed="0.2\n1\n").out
    )
    assert told["printer"]["line_model"] == "rounded"
    assert [one["number"] for one in told["judged_anew"]] == [1]


@pytest.mark.parametrize(
    ("typed", "said"),
    [("", "nothing was typed"), ("wide\n", "not a number"), ("0.44\n0.2\n3\n", "none of them")],
)
def test_a_pipe_cannot_be_asked_again(heron, typed, said):
    ran = heron("printer set heron --line-model", typed=typed)
    assert (ran.status, ran.err.count("\n")) == (2, 1)
    assert said in ran.err


def test_esteps_that_nobody_knows_are_asked_for_before_any_length_is_fed(metier):
    for line in ("printer add heron --nozzle 0.5", "spool add fern-1 --material PLA"):
        metier.json(line)
    metier.json("bench --printer heron --spool fern-1 --temperature 210")
    metier.json("instrument zero calipers 0")
    metier.json("diameter --read 1.75 1.75")
    step = metier.json("next")
    assert (step["step"], step["command"]) == ("esteps", "metier printer set heron --steps")
    assert "M92" in step["why"]
    line = step["command"].removeprefix("metier ")
    assert "asked for at a terminal only: M92" in metier.refuses(line)
    assert metier(line, typed="many\n").status == 2
    assert metier(line, typed="93\n").status == 0
    assert metier.json("profile")["values"]["esteps"]["value"] == 93
    assert metier.json("next")["command"].startswith("metier esteps")


def test_an_answer_that_is_none_is_one_line(metier):
    ran = metier("esteps --asked 150 --left 35.1 --steps 412", typed="wide\n")
    assert (ran.status, ran.out) == (2, "")
    assert "'wide' is not a number of mm" in ran.err


def test_readings_typed_for_another_test_wait_for_it(heron):
    """What was typed for steps of temperature is none of a strand's."""
    heron.json("weigh --strand 2.95 --length 1000")
    ran = heron("weigh --length 1000", typed="2.95\n\nheavy\n")
    assert ran.status == 2
    assert heron("diameter --json", typed="1.75\n1.74\n").status == 0
    resumed = heron("weigh --length 1000 --filament 4000 --resume --json", typed="12\n")
    # That the strand was done was typed before, and is kept as well.
    assert resumed.json["part_g"] == 12
