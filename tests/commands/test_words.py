"""What sheets say one way or the other, where a swapped word would mislead."""

import pytest

CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50 --read"


@pytest.mark.parametrize(
    ("before", "line", "says"),
    [
        ((), "history", "No trials yet"),
        ((f"{CUBE} 1.41",), "history --kind xy", "No such trials"),
        (("spool add smoke-1 --material PETG",), "bench --spool fern-1", "as last time"),
        ((f"{CUBE} 1.50 1.51 1.50",), "entered flow 94", "as advised"),
        (("entered flow 94",), "entered flow 94", "as before"),
        (("entered flow 94",), "entered flow 93", "was 94 %"),
        (
            ("instrument add pocket --kind scale",),
            "instrument zero pocket 0.1",
            "with nothing on it",
        ),
        (("instrument add jaws --kind calipers",), "instrument zero jaws 0.01", "when closed"),
        ((), "instrument add pocket --kind scale", "read it with nothing on it, and note that"),
        ((), "instrument add jaws --kind calipers", "close it, read it, and note that"),
        ((), "spool retire fern-1", "out of use: its trials stay"),
        (("spool retire fern-1",), "spool retire fern-1 --back", "in use again"),
        (("nozzle worn heron-0.5",), "nozzle list", "worn"),
        ((), "cable set heron --port /dev/ttyS0 --baud 57600", "57600 baud"),
        ((f"{CUBE} 1.41",), "logbook export a.json", "Wrote 1 trial to"),
        ((f"{CUBE} 1.41", f"{CUBE} 1.42"), "logbook export a.json", "Wrote 2 trials to"),
        ((f"{CUBE} 1.41", "undo 1"), "history 1", ", withdrawn bench"),
        (("flow --plan --width 0.5 --walls 3 --layer 0.2",), "history 1", ", planned bench"),
    ],
    ids=lambda text: text if isinstance(text, str) else "",
)
def test_it_says(heron, before, line, says):
    for one in before:
        heron.json(one)
    ran = heron(line)
    assert (ran.status, ran.err) == (0, "")
    assert says in " ".join(ran.out.split())
