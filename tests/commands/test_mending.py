"""Everything that was said can be mended: undo, trial, set, rename, retire."""

import pytest

from metier.clock import local_day
from tests.conftest import set_up_heron

CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50"


def record_a_cube(bench):
    set_up_heron(bench)
    bench.json("spool add smoke-1 --material PETG")
    bench.json(f"{CUBE} --read 1.50 1.51 1.52")


@pytest.fixture
def shop(metier, built):
    return built(metier, record_a_cube)


UNDONE = {
    "flow --width 0.5 --walls 3 --layer 0.2 --flow 94 --read 1.4 1.42": "trial 2, flow of fern-1",
    "flow --plan --width 0.5 --walls 3 --layer 0.2 --flow 94": "trial 2, flow of fern-1 on heron, ",
    "entered flow 94": "flow 94 % (0.94x) entered for fern-1 on heron",
    "entered hole 0.1 contour -0.05": "contour -0.05 mm per side entered for fern-1",
    "printer changed heron --what mainboard": "mainboard of heron changed",
    "printer set heron --decimals 1": "printer heron, decimals: 1 (was 2)",
    "printer set heron --bed 200x210 --hottest 260": "printer heron, bed y: 210 mm (was none)",
    "spool set fern-1 --bed-temperature 60": "spool fern-1, bed: 60 °C (was none)",
    "spool add fern-2 --material PLA --bed-temperature 60": "spool fern-2 added",
    "printer found heron --steps 93": "e-steps 93.00 steps/mm found on heron",
    "instrument zero calipers 0.01": "instrument calipers, zero: 0.01 mm (was none)",
    "spool add cloud-1 --material PLA --foaming": "spool cloud-1 added",
    "spool set fern-1 --material PETG": "spool fern-1, material: PETG (was PLA)",
    "spool rename fern-1 leaf-1": "spool leaf-1, name: leaf-1 (was fern-1)",
    "spool retire smoke-1": "spool smoke-1, out of use",
    "nozzle worn heron-0.5": "other of heron changed (nozzle heron-0.5 worn)",
    "bench --spool smoke-1 --temperature 240": "bench, spool: smoke-1 (was fern-1)",
    "reading amend 1 2 1.4": "trial 1, reading 2: 1.4 (was 1.51)",
    "trial 1 --spool smoke-1": "trial 1, spool: smoke-1 (was fern-1)",
    "trial 1 --width 0.45 --speed 40": "trial 1, width: 0.45 mm (was 0.5 mm)",
    "trial 1 --drop 3 --add 1.48": "trial 1, reading 3: dropped (was 1.52)",
    "trial 1 --at 2026-11-01": "trial 1, measured: 2026-11-01 (was 20",
}


def everything(shop):
    """Return what the workshop knows, but for what says that something was taken back."""
    trials = shop.json("history --limit 99")["trials"]
    for one in trials:
        for reading in one["readings"]:
            del reading["was"]
    known = [shop.json(line) for line in ("printer list", "nozzle list", "spool list")]
    zero = [one["zero_mm"] for one in shop.json("instrument list")["instruments"]]
    counting = [one for one in trials if one["state"] != "withdrawn"]
    for printer in known[0]["printers"]:
        printer["changes"] = [change["what"] for change in printer["changes"]]
    return counting, known, zero, shop.json("bench"), shop.json("profile")["values"]


@pytest.mark.parametrize("line", UNDONE)
def test_undo_takes_back_the_last_thing_whatever_it_was_and_names_it(shop, line):
    shop.json("instrument add calipers --kind calipers")
    before = everything(shop)
    shop.json(line)
    assert everything(shop) != before
    undone = shop.json("undo")
    assert UNDONE[line] in "; ".join(undone["taken_back"])
    assert everything(shop) == before
    # What was done before that is the next to go, not the same again; a trial that was dated back
    # and forth may stand after what was done in the same second.
    following = shop.json("undo")["taken_back"]
    assert following == ["instrument calipers added"] or "--at" in line
    assert shop.json("logbook check")["sound"]


def test_of_several_edits_the_last_that_stands_counts(shop):
    for note in ("dried", "dried twice", "damp"):
        shop.json(f"spool set fern-1 --note '{note}'")
    shop.json("undo")
    assert shop.json("spool show fern-1")["spool"]["note"] == "dried twice"
    shop.json("undo")
    shop.json("undo")
    assert shop.json("spool show fern-1")["spool"]["note"] is None


def test_a_name_added_by_mistake_is_free_again_once_taken_back(heron):
    heron.json("spool add fenr-2 --material PLA")
    heron.json("undo")
    heron.json("spool add fenr-2 --material PETG")
    listed = heron.json("spool list")["spools"]
    assert [(one["name"], one["material"]) for one in listed] == [
        ("fenr-2", "PETG"),
        ("fern-1", "PLA"),
    ]


def test_trials_made_of_another_roll_count_for_that_one(shop):
    shop.json(f"{CUBE} --read 1.49 1.51 1.50")
    mended = shop.json("trial 1 2 --spool smoke-1 --note 'wrong roll on the bench'")
    assert [one["trial"] for one in mended["trials"]] == [1, 2]
    assert shop.json("profile")["values"]["flow"]["status"] == "unset"
    shop.json("bench --spool smoke-1 --temperature 210")
    flow = shop.json("profile")["values"]["flow"]
    assert (flow["status"], flow["value"]) == ("advised", 94.0)
    whole = shop("history 2").out
    assert "spool: smoke-1 (was fern-1)" in whole
    assert "wrong roll on the bench" in whole


def test_settings_and_readings_that_are_mended_are_judged_anew(shop):
    def found():
        trial = shop.json("history 1")["trials"][0]
        return trial["findings"], [reading["typed"] for reading in trial["readings"]]

    shop.json("trial 1 --width 0.45")
    # Lines 0.45 wide lie 0.4071 apart (method §3): three come to 1.2642 mm.
    assert found()[0]["target_mm"] == pytest.approx(1.2642, abs=1e-4)
    shop.json("trial 1 --amend 2=1.30 --drop 1 --add 1.31")
    assert found()[1] == ["1.30", "1.52", "1.31"]
    assert found()[0]["wall_mm"] == pytest.approx((1.30 + 1.52 + 1.31) / 3)
    assert shop.json("history 1")["trials"][0]["readings"][0]["position"] == 2
    assert "1.30 (was 1.51)" in shop("history 1").out
    assert shop.json("logbook check") == {**shop.json("logbook check"), "sound": True, "differ": []}


def test_a_trial_told_late_counts_when_it_was_made(shop):
    shop.json("printer changed heron --what mainboard")
    shop.json(f"{CUBE} --read 1.49 1.51 1.50")
    assert shop.json("profile")["values"]["flow"]["status"] == "advised"
    # Both cubes were printed before the swap, so that what they say is doubtful.
    shop.json("trial 1 2 --at 2026-11-03")
    assert shop.json("profile")["values"]["flow"]["status"] == "doubtful"
    dates = {str(local_day(one["at"])) for one in shop.json("history")["trials"]}
    assert dates == {"2026-11-03"}


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("trial 9 --note x", "no trial 9"),
        ("trial 1 --spool frn-1", "did you mean 'fern-1'?"),
        ("trial 1 --nozzle wren-0.8", "no nozzle 'wren-0.8'"),
        ("trial 1 --temperature 700 --anyway", "hotter than any nozzle"),
        ("trial 1 --at 2199-01-01", "is still to come"),
        ("trial 1 --at tomorrow", "is no day"),
        ("trial 1 --drop 7", "has no reading 7"),
        ("trial 1 --drop 1 2 3", "needs a reading"),
        ("trial 1 --amend 1.4", "write 2=0.54"),
        ("trial 1 --amend 1=15", "was it 1.5?"),
        ("trial 1 --width 0.45 --charm 3", "--charm"),
        ("trial 1 --read 1.5", "--amend, --add and --drop"),
        ("trial 1 1 --add 1.5 --spool smoke-1 --drop 9", "readings are of one trial"),
        ("spool set fern-1", "nothing to set"),
        ("spool rename fern-1 smoke-1", "there is a spool 'smoke-1' already"),
        ("spool retire fern-1 --back", "in use already"),
        ("spool add smoke-1 --material PLA", "already"),
        ("nozzle set heron-0.9 --bore 1", "no nozzle"),
        ("instrument set charm --reach 2", "no instrument"),
    ],
)
def test_what_cannot_be_mended_is_refused_and_nothing_is_changed(shop, line, said):
    before = everything(shop)
    assert said in shop.refuses(line)
    assert everything(shop) == before


def test_a_nozzle_brings_its_printer_and_a_roll_leaves_the_temperature(shop):
    heat = shop.json("history 1")["trials"][0]["temperature_c"]
    shop.json("printer add wren --nozzle 0.8 --steps 405")
    belongs = "nozzle wren-0.8 belongs to wren, not to heron"
    assert belongs in shop.refuses("trial 1 --printer heron --nozzle wren-0.8")
    shop.json("bench --spool smoke-1 --temperature 235")
    shop.json("trial 1 --nozzle wren-0.8 --spool smoke-1")
    now = shop.json("history 1")["trials"][0]
    assert (now["printer"], now["nozzle"], now["spool"]) == ("wren", "wren-0.8", "smoke-1")
    assert now["temperature_c"] == heat


def test_what_is_out_of_use_leaves_the_lists_and_keeps_its_trials(shop):
    shop.json("spool retire fern-1")
    assert [one["name"] for one in shop.json("spool list")["spools"]] == ["smoke-1"]
    assert [one["name"] for one in shop.json("spool list --all")["spools"]] == ["fern-1", "smoke-1"]
    assert shop.json("bench")["bench"]["spool"] is None
    assert shop.json("history --spool fern-1")["count"] == 1
    assert "out of use" in shop.refuses("spool add fern-1 --material PLA")
    shop.json("spool retire fern-1 --back")
    assert len(shop.json("spool list")["spools"]) == 2


def test_history_tells_what_else_was_done(shop):
    shop.json("entered flow 94")
    shop.json(f"{CUBE.replace('100', '94')} --read 1.41 1.42 1.43")
    shop.json("printer changed heron --what extruder --note 'new gears'")
    listed = shop("history").out.splitlines()
    order = [
        line.split()[0] if line[:3].strip() else " ".join(line.split()[2:5]) for line in listed
    ]
    assert order[1:5] == ["extruder of heron", "2", "flow 94 %", "1"]
    assert shop("history --kind flow").out.count("\n") == 4


@pytest.mark.usefixtures("first_day")
def test_what_stood_in_a_notebook_is_told_with_its_day(heron):
    """Told late, it says what it would have said then; what came after follows."""
    line = "flow --width 0.5 --walls 1 --layer 0.2 --line-model rounded --read 0.52 0.53"
    later = heron.json(f"{line} --flow 100")
    told = heron("entered flow 94 --at 2026-05-03").out
    assert told.splitlines()[0].endswith("210 °C), 3 May")
    assert "the flow this was done at on that day" in heron.refuses(f"{line} --at 2026-06-01")
    found = heron.json(f"{line} --flow 94 --at '2026-06-01 18:30'")
    assert found["flow_now_percent"] == 94
    assert found["trial"] == 2
    trials = heron.json("history")["trials"]
    assert [str(local_day(one["at"])) for one in trials if one["number"] == 2] == ["2026-06-01"]
    # The first was printed at 100 %, so that is in force: the entry of May came before it.
    assert heron.json("profile")["values"]["flow"]["value"] == later["flow_now_percent"]
    assert "still to come" in heron.refuses("entered flow 90 --at 2101-01-01")
    heron.json(f"{line.partition(' --read')[0]} --flow 100 --plan")
    assert "was planned" in heron.refuses("flow --trial 3 --read 0.5 --at 2026-06-01")
    assert "--plan nothing was yet" in heron.refuses("flow --plan --at 2026-06-01")
    assert heron("logbook check").out.startswith("The logbook is sound")


@pytest.mark.usefixtures("first_day")
def test_the_bench_of_a_day_is_told_late(heron):
    """An old notebook: what was on the bench then, and the trials of those days on it."""
    heron.json("spool add smoke-1 --material PETG")
    today = heron.json("bench")["bench"]
    told = heron("bench --spool smoke-1 --temperature 235 --at 2026-05-01").out.splitlines()
    assert told[0] == "On the bench from 1 May on"
    assert told[-1] == "Now it is fern-1 on heron (nozzle heron-0.5, 210 °C), as before."
    assert heron.json("bench")["bench"] == today
    assert heron.json("bench --at 2026-05-02")["bench"]["spool"] == "smoke-1"
    told = heron("entered flow 94 --at 2026-05-03").out
    assert "smoke-1 on heron (nozzle heron-0.5, 235 °C), 3 May" in told
    line = "flow --width 0.5 --walls 1 --layer 0.2 --flow 94 --read 0.52 0.53"
    assert (
        "Flow: smoke-1 on heron (nozzle heron-0.5, 235 °C)" in heron(f"{line} --at 2026-05-04").out
    )
    assert "Flow: fern-1 on heron" in heron(line).out
    # The last thing done is the last that was said, whatever day it is of.
    assert "trial 2, flow of fern-1" in heron("undo").out
    heron.json("bench --temperature 240 --at 2026-05-05")
    assert "bench, temperature: 240 °C (was 235 °C)" in heron("undo").out
    assert "trial 1, flow of smoke-1" in heron("undo").out
    assert "flow 94 % (0.94x) entered for smoke-1" in heron("undo").out
    assert "bench, spool: smoke-1 (was none)" in heron("undo").out
    assert heron.json("bench")["bench"] == today
    assert "are of today" in heron.refuses("bench --at 2026-05-01 --flow-step 2")
    # A day alone has all that was chosen in its course, a moment what was on by then.
    heron.json("bench --spool smoke-1 --at '2026-06-01 18:00'")
    assert heron.json("bench --at 2026-06-01")["bench"]["spool"] == "smoke-1"
    heron.json("bench --spool fern-1 --at '2026-06-02 09:00'")
    assert heron.json("bench --at '2026-06-02 08:00'")["bench"]["spool"] == "smoke-1"
    assert heron.json("bench --at '2026-06-02 10:00'")["bench"]["spool"] == "fern-1"
    assert heron("logbook check").out.startswith("The logbook is sound")
