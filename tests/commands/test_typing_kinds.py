"""Grams, sections, steps and places, typed line by line: a bad line loses none of them."""

from typing import NamedTuple

import pytest


class Typed(NamedTuple):
    """What is planned, under which words it is measured, two good lines, a bad one with what is
    said of it, and the readings that are kept in the end."""

    plan: str
    measure: str
    good: tuple[str, str]
    bad: str
    said: str
    kept: list[tuple[str, float]]


KINDS = {
    "weigh": Typed(
        "weigh --plan --filament 4123",
        "weigh --trial 1 --length 1000",
        ("2.953\n\n", "12.31\n"),
        "12.3x\n",
        "'12.3x' is not a number",
        [("strand", 2.953), ("print", 12.31)],
    ),
    "map": Typed(
        "map --plan --speeds 20 60 --flow 96",
        "map --trial 1",
        ("1.50\n1.51\n\n", "1.44\n"),
        "thick\n",
        "'thick' is not a number",
        [("3 lines at 20 mm/s, front", 1.50), ("3 lines at 20 mm/s, right", 1.51),
         ("3 lines at 60 mm/s, front", 1.44)],
    ),
    "heat": Typed(
        "heat --plan --from 215 --to 210",
        "heat --trial 1",
        ("few even straight holds\n", "none/dull/-/easy\n"),
        "none even curly holds\n",
        "curly",
        [
            (f"{heat} °C, {aspect}, on heron-0.5", float(value))
            for heat, said in ((215, "1000"), (210, "01-2"))
            for aspect, value in zip(("strings", "surface", "bridge", "breaks"), said, strict=True)
            if value != "-"
        ],
    ),
    "proof": Typed(
        "proof --plan --of globe --expect 0.45",
        "proof --trial 1",
        ("root=0.45/0.46\n", "tip=0.44\n"),
        "tip=thin\n",
        "thin",
        [("root", 0.45), ("root", 0.46), ("tip", 0.44)],
    ),
}  # fmt: skip


@pytest.fixture(params=KINDS, ids=str)
def kind(request):
    return KINDS[request.param]


@pytest.fixture
def bench(heron, kind):
    heron.json("printer set heron --line-model rounded --bed 220x220")
    heron.json("spool set fern-1 --bed-temperature 60")
    heron.json("bench --speed 40")
    assert heron.json(kind.plan)["trial"] == 1
    return heron


def kept_of(bench, number=1):
    (trial,) = bench.json(f"history {number}")["trials"]
    return [(one["side"], one["value"]) for one in trial["readings"]]


def test_a_bad_line_loses_nothing_before_it(bench, kind):
    before, after = kind.good
    # A process of its own: a draft belongs to the one that typed it.
    ran = bench.process(kind.measure, typed=f"{before}{kind.bad}{after}")
    assert (ran.status, ran.err.count("\n")) == (2, 1)
    assert kind.said in ran.err
    assert bench.json("history 1")["trials"][0]["state"] == "planned"
    assert "--resume" in bench(kind.measure, typed=after).err
    assert bench(f"{kind.measure} --resume --json", typed=after).status == 0
    assert kept_of(bench) == kind.kept
    assert not list(bench.folder.glob("*-readings.*"))


def test_in_one_go_it_says_the_same(bench, kind):
    ran = bench(f"{kind.measure} --json", typed="".join(kind.good))
    assert (ran.status, ran.err) == (0, "")
    assert kept_of(bench) == kind.kept
    bench.json("trial 1 --note 'by the window'")
    (trial,) = bench.json("history 1")["trials"]
    assert (trial["state"], trial["note"]) == ("measured", "by the window")
    assert trial["verdict"] == ran.json["verdict"]
    # Taken back it is a plan again, or gone from what counts; and nothing of it is lost.
    taken_back = bench.json("undo 1")
    assert (taken_back["trial"], taken_back["waits"]) == (2, [1])
    assert kept_of(bench, 2) == kind.kept
    again = bench(f"{kind.measure} --json", typed="".join(kind.good)).json
    assert (again["trial"], again["verdict"]) == (1, ran.json["verdict"])


def test_a_question_records_nothing(bench, kind):
    answer = bench(f"{kind.measure} --json", typed="".join(kind.good)).json
    asked = bench.json(f"{kind.measure.split()[0]} --what-if 1")
    assert (asked["trial"], asked["of"]) == (None, 1)
    same = set(answer) & set(asked) - {"trial", "of", "notes", "next"}
    assert {name: asked[name] for name in same} == {name: answer[name] for name in same}
    assert len(bench.json("history")["trials"]) == 1


def test_what_is_taken_back_is_asked_for_again_where_it_was(heron):
    ran = heron.process("weigh --length 1000 --filament 4123", typed="2.953\n\n12.3\nu\nheavy\n")
    assert ran.status == 2
    resumed = heron("weigh --length 1000 --filament 4123 --resume --json", typed="12.31\n")
    assert resumed.json["part_g"] == 12.31
    # Back over an empty line: the strand is asked for again.
    ran = heron.process("weigh --length 1000 --filament 4123", typed="2.9\n2.95\n\nu\nheavy\n")
    resumed = heron("weigh --length 1000 --filament 4123 --resume --json", typed="2.953\n\n12.31\n")
    assert [one["typed"] for one in heron.json("history 2")["trials"][0]["readings"]] == [
        "2.9", "2.953", "12.31",
    ]  # fmt: skip
