"""Machines that go on apart and meet: nothing is lost or doubled, and they say the same."""

import json
import re
import tempfile
from functools import partial
from importlib.resources import files
from pathlib import Path

import jsonschema
import pytest
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from tests.conftest import LONG, Bench, not_quick

SET_UP = (
    "printer add heron --nozzle 0.5 --steps 412 --line-model rounded",
    "spool add fern-1 --material PLA --maker Saltmarsh",
    "spool add fern-2 --material PLA --maker Saltmarsh",
    "bench --printer heron --spool fern-1 --temperature 210",
)
MENDED = (
    "trial {} --spool fern-2",
    "trial {} --width 0.48",
    "trial {} --note 'printed in a draught'",
    "trial {} --add 1.44",
    "trial {} --drop 1",
    "trial {} --at 2026-11-02",
    "entered flow 97 --at 2026-11-03",
    "bench --temperature 211 --at 2026-11-01",
    "spool set fern-1 --colour green",
    "spool set fern-2 --note 'dried'",
    "spool rename fern-2 leaf-2",
    "printer set heron --decimals 3",
    "nozzle set heron-0.5 --material steel",
    "instrument zero calipers 0.01",
    "printer changed heron --what mainboard",
)
CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100"


class Machine:
    """A logbook on a machine of its own, in the same folder as the other's."""

    def __init__(self, folder, name):
        self._bench, self._name = Bench(Path(folder)), name

    def json(self, line):
        return self._bench.json(f"{line} --logbook {self._name}.sqlite")

    def run(self, line):
        return self._bench(f"{line} --logbook {self._name}.sqlite")

    def export(self):
        self.json(f"logbook export {self._name}.json --force")

    def take_from(self, other):
        return self.json(f"logbook import {other._name}.json")

    def send_to(self, other):
        self.export()
        return other.take_from(self)

    def trials(self):
        return self.json("history --limit 1000")["trials"]

    def says(self):
        """Return what is in force and what is next; trials have numbers of their own here."""
        values = self.json("profile")["values"]
        del_numbers = partial(re.sub, r"(trials?|--trial|metier part) [\d, and]+", r"\1 N")
        step = json.loads(del_numbers(json.dumps(self.json("next"))))
        step["planned"] = len(step["planned"])
        return step, {name: {**one, "why": del_numbers(one["why"])} for name, one in values.items()}

    def facts(self):
        """Return all that was recorded, whatever numbers it has here."""
        self.json(f"logbook export {self._name}.json --force")
        document = json.loads((self._bench.folder / f"{self._name}.json").read_text())
        uid_of = {one["id"]: (one["planned"], one["measured"]) for one in document["trials"]}
        readings = sorted(
            (*uid_of[one["trial"]], one["position"], one["version"], one["typed"], one["amended"])
            for one in document["readings"]
        )
        said = {
            uid_of[one["id"]]: (one["state"], one["verdict"], one["findings"], one["instrument"])
            for one in document["trials"]
        }
        fates = [
            (one["moment"], uid_of[one["trial"]], one["withdrawn"]) for one in document["fates"]
        ]
        edits = sorted(
            (one["moment"], one["subject"], one["field"], one["undone"] is None)
            for one in document["edits"]
        )
        machines = [
            sorted((one["added"], one["name"], one["note"], one["retired"]) for one in document[of])
            for of in ("printers", "nozzles", "spools", "instruments")
        ]
        changes = sorted((one["moment"], one["withdrawn"] is None) for one in document["changes"])
        entries = [{**one, "withdrawn": one["withdrawn"] is None} for one in document["entries"]]
        order = (document["moments"], entries, changes)
        return readings, said, order, fates, edits, machines


AT = st.integers(0, 2)
PAIR = st.sampled_from([(0, 1), (1, 2), (2, 0)])


def assert_alike(one, other):
    assert one.facts() == other.facts()
    assert one.says() == other.says()
    assert one.json("logbook check")["differ"] == other.json("logbook check")["differ"]


def set_up_one(bench):
    one = Machine(bench.folder, "a")
    for line in SET_UP:
        one.json(line)


def export_a_cube(bench):
    set_up_one(bench)
    one = Machine(bench.folder, "a")
    one.json(f"{CUBE} --read 1.41 1.42")
    one.json("logbook export good.json")


@pytest.fixture
def two(metier, built):
    built(metier, set_up_one)
    return Machine(metier.folder, "a"), Machine(metier.folder, "b")


def test_a_plan_measured_on_both_becomes_two_trials(two):
    one, other = two
    one.json(f"{CUBE} --plan")
    one.send_to(other)
    one.json("flow --trial 1 --read 1.41 1.42")
    other.json("flow --trial 1 --read 1.51 1.52")
    brought = other.send_to(one)
    assert (brought["trials"], brought["renumbered"]) == (1, {"1": 2})
    walls = {trial["number"]: trial["findings"]["wall_mm"] for trial in one.trials()}
    assert walls == {1: pytest.approx(1.415), 2: pytest.approx(1.515)}
    assert [len(trial["readings"]) for trial in one.trials()] == [2, 2]
    # Both ways, and again: nothing more happens.
    one.send_to(other)
    assert other.send_to(one)["trials"] == 0
    assert one.facts() == other.facts()


def test_two_amendments_of_a_reading_both_stay_and_the_later_counts(two):
    one, other = two
    one.json(f"{CUBE} --read 1.41 1.42")
    one.send_to(other)
    one.json("reading amend 1 2 1.43")
    other.json("reading amend 1 2 1.44")
    other.json("reading amend 1 2 1.45")
    other.send_to(one)
    (reading,) = [reading for reading in one.trials()[0]["readings"] if reading["was"]]
    assert sorted([*reading["was"], reading["typed"]]) == ["1.42", "1.43", "1.44", "1.45"]
    one.send_to(other)
    assert one.facts() == other.facts()


def test_withdrawing_and_bringing_back_travel(two):
    one, other = two
    one.json(f"{CUBE} --read 1.41 1.42")
    one.send_to(other)
    one.json("undo 1")
    one.send_to(other)
    assert other.trials()[0]["state"] == "withdrawn"
    other.json("undo --redo 1")
    other.send_to(one)
    assert one.trials()[0]["state"] == "measured"
    one.send_to(other)
    assert one.facts() == other.facts()


@pytest.mark.slow
@pytest.mark.parametrize("how", MENDED)
def test_what_is_mended_on_one_is_mended_on_the_other_and_taken_back_there_too(two, how):
    one, other = two
    one.json(f"{CUBE} --read 1.41 1.42")
    one.json(f"{CUBE} --read 1.43 1.44")
    one.send_to(other)
    before = other.facts()
    one.json(how.format(2))
    one.send_to(other)
    assert other.facts() == one.facts() != before
    assert other.says() == one.says()
    one.json("undo")
    one.send_to(other)
    assert other.facts() == one.facts()
    assert other.says() == one.says()


def test_machines_of_one_name_that_are_two_are_kept_apart(two):
    one, other = two
    other.json("printer add Heron --nozzle 0.8 --steps 93")
    other.json("spool add FERN-1 --material PETG")
    other.json("instrument add jaws --kind calipers")
    one.json("instrument add jaws --kind micrometer")
    other.json("bench --printer Heron --spool FERN-1 --temperature 240")
    other.json(f"{CUBE} --line-model rounded --read 1.41 --instrument jaws")
    brought = other.send_to(one)
    # The one that was added first keeps the name, on whichever machine that was.
    assert brought["renamed"] == {"Heron": "Heron (2)", "FERN-1": "FERN-1 (2)"}
    assert brought["renamed_here"] == {"jaws": "jaws (2)"}
    printers = {each["name"]: each for each in one.json("printer list")["printers"]}
    assert printers["heron"]["steps"] == 412
    assert printers["Heron (2)"]["steps"] == 93
    assert printers["Heron (2)"]["nozzles"] == ["Heron-0.8"]
    (trial,) = one.trials()
    assert (trial["printer"], trial["spool"]) == ("Heron (2)", "FERN-1 (2)")
    assert trial["conditions"]["instrument"] == "jaws"
    one.send_to(other)
    assert one.facts() == other.facts()


SPOILT = {
    "no finding": lambda doc: doc["trials"][0].update(findings=None),
    "no verdict": lambda doc: doc["trials"][0].update(verdict=None),
    "no such day": lambda doc: doc["moments"][0].update(at="yesterday"),
    "no date": lambda doc: doc["moments"][0].update(at=""),
    "a day before there was any": lambda doc: doc["moments"][0].update(at="1999-12-31T00:00:00Z"),
    "a day of next year": lambda doc: doc["moments"][-1].update(at="2099-01-01T00:00:00Z"),
    "a column of nobody": lambda doc: doc["spools"][0].update(owner="heron"),
    "an object for a text": lambda doc: doc["spools"][0].update(note={"a": 1}),
    "a part of nobody": lambda doc: doc.update(wishes=[]),
    "no uid": lambda doc: doc["moments"][0].update(uid="xyz"),
    "a huge id": lambda doc: doc["trials"][0].update(id=2**63 - 1),
    "no id": lambda doc: doc["trials"][0].update(id="1"),
    "a negative id": lambda doc: doc["trials"][0].update(id=-1),
    "a true id": lambda doc: doc["trials"][0].update(id=True),
    "never planned": lambda doc: doc["trials"][0].update(planned=None),
    "measured never": lambda doc: doc["trials"][0].update(measured=None),
    "no moment": lambda doc: doc["trials"][0].update(measured="f" * 16),
    "text for a number": lambda doc: doc["readings"][0].update(value="wide"),
    "a reading of nothing": lambda doc: doc["readings"][0].update(trial=99),
    "a huge position": lambda doc: doc["readings"][0].update(position=2**63 - 1),
    "no position": lambda doc: doc["readings"][0].update(position=None),
    "another column": lambda doc: doc["trials"][0].update({"id = 1; --": 1}),
    "a fate of nothing": lambda doc: doc["fates"].append(
        {"moment": doc["moments"][0]["uid"], "trial": 99, "withdrawn": 1}
    ),
    "a fate that is none": lambda doc: doc["fates"].append(
        {"moment": doc["moments"][0]["uid"], "trial": 1, "withdrawn": 7}
    ),
    "a bore of nothing": lambda doc: doc["nozzles"][0].update(bore_mm=0),
    "settings of nothing": lambda doc: doc["trials"][0].update(settings={}),
    "settings that are a list": lambda doc: doc["trials"][0].update(settings=[]),
    "no such value": lambda doc: doc["entries"][0].update(kind="charm"),
    "a wall thinner than its sides": lambda doc: doc["readings"][0].update(value=0.001),
    "a list of printers that is none": lambda doc: doc.update(printers={"heron": 1}),
    "no trials at all": lambda doc: doc.pop("trials"),
}
# What hangs on more than the form of the document, which a schema cannot say.
BEYOND_A_SCHEMA = {
    "a day before there was any", "a day of next year",
    "no moment", "measured never", "a reading of nothing", "a fate of nothing",
    "settings of nothing", "no such value", "a wall thinner than its sides", "a true id",
    "a bore of nothing",
}  # fmt: skip


@pytest.fixture
def document(metier, built):
    built(metier, export_a_cube)
    return json.loads((metier.folder / "good.json").read_text())


@pytest.mark.parametrize("how", [*list(SPOILT)[:8], *not_quick(*list(SPOILT)[8:])])
def test_a_document_that_does_not_hold_together_is_refused_whole(two, tmp_path, document, how):
    _, other = two
    schema = json.loads(files("metier.logbook").joinpath("logbook.schema.json").read_text())
    jsonschema.validate(document, schema)
    SPOILT[how](document)
    (tmp_path / "bad.json").write_text(json.dumps(document))
    ran = other.run("logbook import bad.json")
    assert (ran.status, ran.out, ran.err.count("\n")) == (2, "", 1), ran
    assert other.trials() == []
    if how not in BEYOND_A_SCHEMA:
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(document, schema)


@pytest.mark.usefixtures("document")
@pytest.mark.parametrize(
    "spoil",
    [
        lambda text: text.replace("1.41", "NaN"),
        lambda text: text.replace("1.41", "1e999"),
        lambda text: text.replace('"findings": {', f'"findings": {{"deep": {"[" * 60}{"]" * 60},'),
        lambda text: text.replace('"findings": {', '"findings": {"deep": ' + "[" * 90_000 + ","),
        lambda text: text.encode("utf-16"),
        lambda _: b"\xff\xfe",
        lambda _: "",
    ],
)  # fmt: skip
def test_numbers_past_all_and_endless_nesting_are_refused(two, tmp_path, spoil):
    _, other = two
    spoilt = spoil((tmp_path / "good.json").read_text())
    (tmp_path / "bad.json").write_bytes(spoilt if isinstance(spoilt, bytes) else spoilt.encode())
    ran = other.run("logbook import bad.json")
    assert (ran.status, ran.out, ran.err.count("\n")) == (2, "", 1), ran
    assert other.trials() == []


class Machines(RuleBasedStateMachine):
    """Whatever happens on three of them: once they met, they hold the same, all of it, and say the
    same, in whatever order they did."""

    @initialize()
    def set_up(self):
        self._folder = tempfile.TemporaryDirectory()
        self._machines = [Machine(self._folder.name, name) for name in "abc"]
        first, *others = self._machines
        for line in SET_UP:
            first.json(line)
        for other in others:
            first.send_to(other)

    def teardown(self):
        self._folder.cleanup()

    @rule(at=AT, wall=st.integers(130, 160), flow=st.sampled_from([100, 92]))
    def measures(self, at, wall, flow):
        line = CUBE.replace("100", str(flow))
        self._machines[at].json(f"{line} --read {wall / 100} {(wall + 1) / 100}")

    @rule(at=AT)
    def plans(self, at):
        self._machines[at].json(f"{CUBE} --plan")

    @rule(at=AT, wall=st.integers(130, 160))
    def measures_what_is_planned(self, at, wall):
        plans = [one for one in self._machines[at].trials() if one["state"] == "planned"]
        if plans:
            number = plans[-1]["number"]
            self._machines[at].json(f"flow --trial {number} --read {wall / 100} {wall / 100}")

    @rule(at=AT, wall=st.integers(130, 160), which=st.integers(0, 9))
    def amends(self, at, wall, which):
        measured = [one for one in self._machines[at].trials() if one["readings"]]
        if measured:
            number = measured[which % len(measured)]["number"]
            self._machines[at].run(f"reading amend {number} 1 {wall / 100}")

    @rule(at=AT, which=st.integers(0, 9))
    def withdraws_or_brings_back(self, at, which):
        trials = self._machines[at].trials()
        if trials:
            one = trials[which % len(trials)]
            back = "--redo " if one["state"] == "withdrawn" else ""
            self._machines[at].json(f"undo {back}{one['number']}")

    @rule(at=AT, which=st.integers(0, 9), how=st.sampled_from(MENDED))
    def mends(self, at, which, how):
        trials = [one for one in self._machines[at].trials() if one["state"] != "withdrawn"]
        number = trials[which % len(trials)]["number"] if trials else 1
        self._machines[at].run(how.format(number))

    @rule(at=AT, name=st.sampled_from(["moss-1", "leaf-2"]))
    def adds_a_roll(self, at, name):
        self._machines[at].run(f"spool add {name} --material PLA --maker Saltmarsh")

    @rule(at=AT)
    def takes_back_the_last_thing(self, at):
        if len(self._machines[at].trials()) > 1:
            self._machines[at].run("undo")

    @rule(at=AT, flow=st.integers(85, 110))
    def types_in(self, at, flow):
        self._machines[at].json(f"entered flow {flow}")

    @rule(at=AT, to=AT)
    def sends(self, at, to):
        before = {reading[:2] + reading[4:5] for reading in self._machines[to].facts()[0]}
        self._machines[at].send_to(self._machines[to])
        after = {reading[:2] + reading[4:5] for reading in self._machines[to].facts()[0]}
        assert before <= after

    @rule(pair=PAIR)
    def two_exchange_what_they_have(self, pair):
        one, other = (self._machines[at] for at in pair)
        one.export()
        other.export()
        one.take_from(other)
        other.take_from(one)
        assert_alike(one, other)

    @rule(order=st.permutations(range(3)))
    def all_meet(self, order):
        one, other, third = (self._machines[at] for at in order)
        one.send_to(other)
        third.send_to(one)
        other.send_to(third)
        one.send_to(other)
        one.send_to(third)
        other.send_to(one)
        assert_alike(one, other)
        assert_alike(one, third)

    @invariant()
    def all_are_sound(self):
        for machine in getattr(self, "_machines", []):
            assert machine.json("logbook check")["sound"]


TestMachines = pytest.mark.slow(Machines.TestCase)
TestMachines.settings = settings(
    max_examples=12 * LONG,
    stateful_step_count=10,
    deadline=None,
    # Making a failure smaller would take longer than finding it.
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
