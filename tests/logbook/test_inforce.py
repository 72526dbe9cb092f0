"""What is in force on a bench, asked of a logbook."""

import pytest

from metier.core.values import VALUES, upset_by
from metier.logbook.bench import Bench, Setup, choose_bench
from metier.logbook.edits import edit
from metier.logbook.inforce import most_similar, speed_stood_for, standing
from metier.logbook.items import add
from metier.logbook.machines import Nozzle, Printer, Spool, record_change
from metier.logbook.opening import open_or_make
from metier.logbook.recording import bring_back, plan_trial, record_entry, record_trial, withdraw
from metier.logbook.trials import Conditions, Outcome, Reading, latest_of_spool, latest_on_printer


class Workshop:
    """A logbook with heron, two nozzles and a few rolls; facts are recorded in short words."""

    def __init__(self, book):
        self.book = book
        with book.transaction() as moment:
            self.printer = add(book, moment, Printer, "heron", decimals=2)
            self.fine = add(book, moment, Nozzle, "heron-0.5", printer=self.printer.id, bore_mm=0.5)
            self.wide = add(book, moment, Nozzle, "heron-0.8", printer=self.printer.id, bore_mm=0.8)
            self.fern = self.roll(moment, "fern-1")
        self.setup = Setup(self.printer, self.fine, self.fern, 210.0)

    def roll(self, moment, name, material="PLA", maker="Saltmarsh", colour="green", **nature):
        nature = {"foaming": False, "flexible": False, **nature}
        return add(
            self.book, moment, Spool, name,
            material=material, maker=maker, colour=colour, diameter_mm=1.75, **nature,
        )  # fmt: skip

    def enter(self, kind, value, setup=None):
        with self.book.transaction() as moment:
            record_entry(self.book, setup or self.setup, kind, value, moment)

    def tried(self, kind, now, verdict, to_type=None, setup=None, speed=None):
        to_type = now if verdict == "keep" else to_type
        return record_trial(
            self.book, setup or self.setup, kind,
            settings={}, conditions=Conditions(speed_mm_s=speed),
            readings=[Reading("", 0.5, "0.50")],
            findings={}, verdict=verdict, outcomes=[Outcome(kind, now, to_type, 0.01, to_type)],
        )  # fmt: skip

    def change(self, what, nozzle=None):
        with self.book.transaction() as moment:
            record_change(self.book, moment, self.printer, what, upset_by(what), nozzle)

    def stands(self, kind, setup=None):
        return standing(self.book, setup or self.setup, kind)


@pytest.fixture
def shop(tmp_path):
    with open_or_make(str(tmp_path / "logbook.sqlite")) as book:
        yield Workshop(book)


def test_advice_entry_and_trial_in_their_order(shop):
    assert shop.stands("flow").status == "unset"
    shop.tried("flow", 1.0, "correct", 0.92)
    assert shop.stands("flow")[:2] == (0.92, 1.0)
    shop.enter("flow", 0.92)
    assert shop.stands("flow").status == "entered"
    number = shop.tried("flow", 0.92, "keep")
    assert shop.stands("flow").status == "verified"
    withdraw(shop.book, number)
    assert shop.stands("flow").status == "entered"


def test_flow_stands_for_the_speed_of_the_first_cube(shop):
    shop.tried("flow", 1.0, "correct", 0.92, speed=40.0)
    shop.tried("flow", 1.0, "correct", 0.97, speed=120.0)
    assert speed_stood_for(shop.book, shop.setup, "flow") == 40.0
    assert shop.stands("flow")[:2] == (0.92, 1.0)
    # Within 5 % it is the same speed, and one nobody noted may have been it.
    shop.tried("flow", 0.92, "keep", speed=41.9)
    assert shop.stands("flow").status == "verified"
    shop.tried("flow", 0.92, "correct", 0.94)
    assert shop.stands("flow").value == 0.94
    for speed in (42.1, 37.9):
        shop.tried("flow", 0.92, "correct", 0.99, speed=speed)
        assert shop.stands("flow").value == 0.94
    shop.tried("flow", 0.92, "correct", 0.95, speed=38.1)
    assert shop.stands("flow").value == 0.95
    assert speed_stood_for(shop.book, shop.setup, "hole") is None


def test_another_speed_moves_nothing_that_rests_on_flow(shop):
    shop.tried("flow", 1.0, "keep", speed=40.0)
    shop.tried("xy", None, "keep")
    shop.enter("hole", 0.1)
    shop.tried("flow", 0.9, "keep", speed=120.0)
    assert shop.stands("hole").status == "entered"
    shop.tried("flow", 0.9, "keep", speed=40.0)
    assert shop.stands("hole").status == "doubtful"


def test_the_speed_that_was_said_and_the_first_after_a_change(shop):
    shop.tried("flow", 1.0, "correct", 0.92, speed=40.0)
    shop.tried("flow", 1.0, "correct", 0.97, speed=120.0)
    with shop.book.transaction() as moment:
        bench = Bench(shop.printer, shop.fine, shop.fern, 210.0, speed_mm_s=120.0)
        choose_bench(shop.book, moment, bench)
    assert shop.stands("flow").value == 0.97
    with shop.book.transaction() as moment:
        choose_bench(shop.book, moment, bench._replace(speed_mm_s=None))
    assert shop.stands("flow").value == 0.92
    shop.change("hotend")
    shop.tried("flow", 1.0, "correct", 0.95, speed=120.0)
    assert speed_stood_for(shop.book, shop.setup, "flow") == 120.0
    assert shop.stands("flow").value == 0.95


def test_flow_belongs_to_printer_nozzle_and_spool_but_e_steps_to_the_printer(shop):
    other = shop.setup._replace(nozzle=shop.wide)
    shop.enter("esteps", 412.0)
    shop.enter("flow", 0.92)
    assert shop.stands("esteps", other).value == 412.0
    assert shop.stands("flow", other).status == "unset"


def test_a_limit_belongs_to_a_temperature(shop):
    shop.enter("limit", 11.0)
    assert shop.stands("limit").value == 11.0
    hotter = shop.stands("limit", shop.setup._replace(temperature_c=230.0))
    assert (hotter.value, hotter.status) == (11.0, "carried")
    cooler = shop.stands("limit", shop.setup._replace(temperature_c=209.0))
    assert (cooler.value, cooler.status) == (11.0, "doubtful")
    with shop.book.transaction() as moment:
        new = shop.roll(moment, "fern-2")
    kindred = shop.stands("limit", shop.setup._replace(spool=new, temperature_c=230.0))
    assert (kindred.value, kindred.in_force, kindred.status) == (11.0, None, "carried")
    assert "fern-1" in kindred.why


@pytest.mark.parametrize(
    ("what", "doubtful"),
    [
        ("mainboard", ["esteps", "flow", "hole"]),
        ("hotend", ["flow", "hole"]),
        ("motion", ["hole"]),
        ("other", []),
    ],
)
def test_changes_make_doubtful_what_they_touch(shop, what, doubtful):
    values = {"esteps": 412.0, "flow": 0.92, "hole": 0.1}
    for kind, value in values.items():
        shop.enter(kind, value)
    shop.change(what)
    found = [kind for kind in values if shop.stands(kind).status == "doubtful"]
    assert found == doubtful
    for kind, value in values.items():
        shop.enter(kind, value)
        assert shop.stands(kind).status == "entered"


def test_a_nozzle_fitted_again_brings_its_values_back_as_carried(shop):
    shop.tried("flow", 0.92, "keep")
    shop.change("nozzle", shop.wide)
    assert shop.stands("flow").status == "verified"
    shop.change("nozzle", shop.fine)
    assert shop.stands("flow")[:4] == (0.92, 0.92, 0.01, "carried")
    with shop.book.transaction() as moment:
        edit(shop.book, moment, "nozzle", shop.fine.id, {"worn": moment})
        affects = upset_by("nozzle")
        record_change(shop.book, moment, shop.printer, "other", affects, shop.fine, "worn")
    assert shop.stands("flow").status == "doubtful"
    assert "worn" in shop.stands("flow").why


def test_new_e_steps_rescale_flow_and_leave_the_rest_doubtful(shop):
    shop.enter("esteps", 400.0)
    shop.tried("flow", 0.92, "keep")
    shop.enter("hole", 0.1)
    shop.enter("esteps", 408.0)  # 2 %: nothing happens yet
    assert shop.stands("flow").status == "verified"
    shop.enter("esteps", 420.0)
    flow = shop.stands("flow")
    assert (flow.status, flow.in_force) == ("carried", 0.92)
    assert flow.value == pytest.approx(0.92 * 400 / 420)
    assert shop.stands("hole").status == "doubtful"
    shop.enter("flow", 0.88)
    assert shop.stands("flow").status == "entered"


def test_new_flow_leaves_what_follows_doubtful(shop):
    shop.enter("flow", 1.0)
    shop.enter("hole", 0.1)
    shop.enter("flow", 0.99)
    assert shop.stands("hole").status == "entered"
    shop.enter("flow", 0.92)
    assert shop.stands("hole").status == "doubtful"
    assert "flow" in shop.stands("hole").why


def test_another_temperature_makes_flow_doubtful(shop):
    shop.tried("flow", 0.92, "keep")
    assert shop.stands("flow", shop.setup._replace(temperature_c=215.0)).status == "verified"
    assert shop.stands("flow", shop.setup._replace(temperature_c=220.0)).status == "doubtful"


def test_a_new_roll_carries_the_same_filament_before_the_same_material(shop):
    with shop.book.transaction() as moment:
        new = shop.roll(moment, "fern-2")
        gorse = shop.roll(moment, "gorse-1", colour="yellow")
        cloud = shop.roll(moment, "cloud-1", foaming=True)
        smoke = shop.roll(moment, "smoke-1", material="PETG")
    on_new = shop.setup._replace(spool=new)
    assert shop.stands("flow", on_new).status == "unset"
    shop.tried("flow", 0.97, "keep", setup=shop.setup._replace(spool=gorse))
    assert (shop.stands("flow", on_new).value, shop.stands("flow", on_new).status) == (
        0.97, "carried",
    )  # fmt: skip
    assert "gorse-1, the same maker and material" in shop.stands("flow", on_new).why
    shop.tried("flow", 0.92, "keep")
    assert shop.stands("flow", on_new).value == 0.92
    assert "fern-1, the same filament" in shop.stands("flow", on_new).why
    # Nothing of it is in force on the new roll, and its own trial ends the carrying.
    assert shop.stands("flow", on_new).in_force is None
    shop.tried("flow", 0.95, "keep", setup=on_new)
    assert shop.stands("flow", on_new)[:4] == (0.95, 0.95, 0.01, "verified")
    for unlike in (cloud, smoke):
        assert shop.stands("flow", shop.setup._replace(spool=unlike)).status == "unset"


def test_many_trials_give_the_date_and_count_that_few_would(shop):
    shop.tried("flow", 1.0, "correct", 0.92)
    for _ in range(40):
        shop.tried("flow", 0.92, "keep")
    found = shop.stands("flow")
    assert (found.trials, found.status) == (41, "verified")


def test_a_cooler_limit_beats_a_hotter_one_however_near(shop):
    # No curve of melting goes through these two.
    for heat, limit in ((190.0, 9.0), (211.0, 8.0)):
        shop.enter("limit", limit, shop.setup._replace(temperature_c=heat))
    found = shop.stands("limit")
    assert (found.value, found.status) == (9.0, "carried")
    hot = shop.stands("limit", shop.setup._replace(temperature_c=180.0))
    assert (hot.value, hot.status) == (9.0, "doubtful")


def test_withdrawn_trials_are_not_looked_up(shop):
    first = shop.tried("esteps", 412, "keep")
    second = shop.tried("esteps", 400, "keep")
    withdraw(shop.book, second)
    listed = latest_on_printer(shop.book, shop.printer, "esteps", 5)
    assert [one.number for one in listed] == [first]
    of_roll = latest_of_spool(shop.book, shop.fern, "esteps", 5)
    assert [one.number for one in of_roll] == [first]
    assert latest_on_printer(shop.book, shop.printer, "esteps", 5, first) == []


@pytest.mark.parametrize("nature", ["flexible", "foaming"])
def test_a_roll_lends_to_its_like_only(shop, nature):
    with shop.book.transaction() as moment:
        soft = shop.roll(moment, "reed-1", **{nature: True})
        other = shop.roll(moment, "reed-2", **{nature: True})
    shop.enter("flow", 1.2, shop.setup._replace(spool=soft))
    assert shop.stands("flow").status == "unset"
    lent = shop.stands("flow", shop.setup._replace(spool=other))
    assert (lent.value, lent.status) == (1.2, "carried")


def test_what_was_found_at_one_temperature_is_doubtful_far_from_it(shop):
    for kind, value in (("flow", 0.95), ("hole", 0.1), ("contour", -0.05)):
        shop.tried(kind, value, "keep")
    warmer = shop.setup._replace(temperature_c=216.0)
    for kind in ("flow", "hole", "contour"):
        if kind == "flow":
            assert shop.stands(kind).status == "verified"
            assert shop.stands(kind, warmer).status == "doubtful"
    assert [VALUES[kind].doubtful_by_temperature for kind in VALUES] == [
        False, False, False, True, False, True, True, True,
    ]  # fmt: skip


def test_the_limit_most_alike_has_the_nozzle_then_the_hot_end_then_the_bore(shop):
    with shop.book.transaction() as moment:
        wren = add(shop.book, moment, Printer, "wren", decimals=2)
        same_bore = add(
            shop.book, moment, Nozzle, "wren-0.5", printer=wren.id, bore_mm=0.5, hot_end="deep"
        )
        other_bore = add(
            shop.book, moment, Nozzle, "wren-0.8", printer=wren.id, bore_mm=0.8, hot_end="deep"
        )
        mine = add(
            shop.book,
            moment,
            Nozzle,
            "heron-deep",
            printer=shop.printer.id,
            bore_mm=0.5,
            hot_end="deep",
        )
    here = shop.setup._replace(nozzle=mine)
    for nozzle, limit in ((same_bore, 10.0), (other_bore, 30.0)):
        shop.enter("limit", limit, Setup(wren, nozzle, shop.fern, 210.0))
    assert most_similar(shop.book, here).limit_mm3_s == 10.0


def test_bringing_back_a_plan_leaves_it_a_plan(shop):
    number = plan_trial(shop.book, shop.setup, "flow", {}, Conditions())
    withdraw(shop.book, number)
    assert bring_back(shop.book, number) == "planned"
