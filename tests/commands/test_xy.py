"""`metier xy` and `metier fit` as they are used at the bench."""

import math
import subprocess

import pytest

from tests.moment import program

HOLES = "--hole 4=3.79 6=5.80 10=9.82 16=15.80"
POSTS = "--post 4=4.09 6=6.10 10=10.08 16=16.09"
WORKED = f"xy {HOLES} {POSTS}"
PAIRS = "fit --pair 0.1=press 0.2=snug 0.3=slide 0.4=loose"


def test_worked_numbers_without_a_logbook(metier):
    found = metier.json(WORKED)
    assert found["hole_per_side_mm"] == pytest.approx(0.0978, abs=5e-5)
    assert found["contour_per_side_mm"] == pytest.approx(-0.0460, abs=5e-5)
    assert found["hole_on_diameter_mm"] == pytest.approx(0.1955, abs=1e-4)
    assert (found["hole_to_type_mm"], found["contour_to_type_mm"]) == (0.1, -0.05)
    assert 0.02 < found["hole_u95_mm"] < 0.04
    assert found["scale"] == pytest.approx(0.99978, abs=5e-6)
    assert found["kappa_mm2"] == pytest.approx(0.0365, abs=5e-5)
    small = metier.json(f"{WORKED} --for 3")["hole_per_side_mm"]
    assert small - found["hole_per_side_mm"] == pytest.approx(0.0070, abs=2e-4)
    assert (found["verdict"], found["trial"]) == ("correct", None)
    after = {one["name"]: one["after_mm"] for one in found["features"]}
    assert after["hole 10"] == pytest.approx(10.02)
    assert after["post 10"] == pytest.approx(9.98)
    said = " ".join(metier(WORKED).out.split())
    assert "enlarge holes by 0.10 mm per side ± 0.03" in said
    assert "shrink outlines by 0.05 mm per side" in said
    assert "+0.20 on the diameter" in said


def test_a_table_says_the_same(metier):
    rows = "kind;nominal;measured\n" + "".join(
        f"{kind};{size};{size_measured}\n"
        for kind, words in (("hole", HOLES), ("post", POSTS))
        for size, size_measured in (one.split("=") for one in words.split()[1:])
    ).replace(".", ",")
    (metier.folder / "plate.csv").write_text(rows)
    listed, table = metier.json(WORKED), metier.json("xy --from plate.csv")
    assert table["hole_per_side_mm"] == listed["hole_per_side_mm"]
    (metier.folder / "more.csv").write_text(
        "kind,nominal,measured,axis,height,go,no_go,facets,jaw_land\n"
        "hole,10,,,,9.7,9.9,32,\nhole,6,5.7/5.8,,,,,,0.8\nhole,1,none,,,,,,\n"
        "post,20,20.1,x,5,,,,\npost,20,20.0,y,5,,,,\npost,20,20.3,x,0.2,,,,\n"
    )
    found = metier.json("xy --from more.csv")
    assert found["not_printed"] == ["hole 1"]
    assert found["lips_mm"]["post 20 x"] == pytest.approx(0.1)
    assert found["axes"]["difference_percent"] > 0


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("xy", "no readings"),
        ("xy --hole 10", "what it measured is missing"),
        ("xy --hole =9.8", "write the size drawn"),
        ("xy --hole ten=9.8", "write the size drawn"),
        ("xy --hole 10=9,8x", "not a number"),
        ("xy --hole 10=4.9", "about half: a radius"),
        ("xy --hole 10=20", "was 10 a radius"),
        ("xy --hole 10=98", "was it 9.8"),
        ("xy --hole 0=1", "above zero"),
        ("xy --pin 10=9.9/9.8", "swapped"),
        ("xy --pin 10=", "the pin that goes"),
        ("xy --hole 10=9.8 --free-scale", "one size"),
        ("xy --hole 1=none", "nothing was measured"),
        ("xy --hole 10=9.8 --facets 2", "three at least"),
        ("xy --hole 10=9.8 --from p.csv", "one way only"),
        ("xy --from none.csv", "cannot read"),
        ("xy --hole 10=9.8 --instrument ruler", "cannot measure"),
        ("xy --plan --hole 10=9.8", "no bench|sizes drawn alone"),
        ("xy --hole 10=9.8 --plot p.gif", "must end in"),
        ("fit", "nothing was tried"),
        ("fit --pair 0.2=snug --drawn mid", "give --thread, too"),
        ("fit --pair 0.2=wobbly 0.3=slide", "is no feel"),
        ("fit --pair 0.2 0.3=slide", "write it 0.2=snug"),
        ("fit --pair 20=snug 0.3=slide", "is no clearance"),
        ("fit --tried 0.1=snug 0.2/0=slide", "write it 0.10/-0.05=slide"),
        (f"{PAIRS} --tried 0.1/0=snug", "one at a time"),
        (f"{PAIRS} --thread M20x2.4", "no such pitch"),
        ("fit --thread 'M20x2.5 6X/6g'", "there is no thread"),
        (f"{PAIRS} --thread M20 --clearance 0.1", "leave --clearance out"),
        ("fit --tried 0/0=snug 0.1/0=slide --clearance 0.1", "leave --clearance"),
    ],
)
def test_bad_input_is_met_with_one_line(metier, line, said):
    assert any(one in metier.refuses(line) for one in said.split("|"))


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ("slot,10,9.8", "hole or post"),
        ("hole,,9.8", "has no nominal"),
        ("hole,10,", "nor pins"),
        ("hole,10,9.8,w", "axis is x, y or z"),
    ],
)
def test_bad_tables_are_met_with_one_line(metier, row, said):
    (metier.folder / "p.csv").write_text(f"kind,nominal,measured,axis\n{row}\n")
    assert said in metier.refuses("xy --from p.csv")


def test_measured_and_typed_are_two_numbers(heron):
    first = heron.json(f"{WORKED} --hole-set 0.05 --contour-set -0.10")
    assert (first["hole_to_type_mm"], first["contour_to_type_mm"]) == (0.15, -0.15)
    values = heron.json("profile")["values"]
    assert (values["hole"]["value"], values["hole"]["status"]) == (0.15, "advised")
    assert values["hole"]["in_force"] == 0.05
    heron.json("entered --advised")
    exact = "xy --hole 4=4 6=6 10=10 16=16 --post 4=4.09 6=6.10 10=10.08 16=16.09"
    second = heron.json(exact)
    assert (second["hole_set_mm"], second["contour_set_mm"]) == (0.15, -0.15)
    contour = round(second["contour_new_mm"], 2)
    assert -0.20 <= contour <= -0.19
    assert (second["hole_to_type_mm"], second["contour_to_type_mm"]) == (0.15, contour)
    values = heron.json("profile")["values"]
    # One plate keeps the one and corrects the other.
    assert (values["hole"]["value"], values["hole"]["status"]) == (0.15, "verified")
    assert (values["contour"]["value"], values["contour"]["status"]) == (contour, "advised")
    assert values["scale"]["value"] == pytest.approx(second["scale"])
    assert "+0.15 mm per side" in heron("profile --card").out
    heron.json("printer changed heron --what motion")
    values = heron.json("profile")["values"]
    assert [values[kind]["status"] for kind in ("hole", "contour", "scale")] == ["doubtful"] * 3
    assert heron.json("history --kind xy")["count"] == 2
    assert "xy contour" in heron("history --csv").out


def test_a_plate_is_planned_measured_and_amended(heron):
    planned = heron.json("xy --plan --hole 4 6 10 16 --post 4 6 10 16")
    assert [one["nominal_mm"] for one in planned["settings"]["features"]][:4] == [4, 6, 10, 16]
    sizes = "3.79\n5.80\n9.82\n15.80/15.80\n4.09\n6.10\n10.08\n16.09\n\n"
    finished = subprocess.run(
        program("xy", "--trial", "1"),
        input=sizes, env=heron.environment, capture_output=True, text=True,
    )  # fmt: skip
    assert finished.returncode == 0, finished.stderr
    assert "+0.098 ± 0.034 mm per side" in finished.stdout
    found = heron.json("reading amend 1 1 3.77")
    assert found["hole_per_side_mm"] > 0.0978
    named = subprocess.run(
        program("xy", "--json", "--logbook", "other.sqlite"),
        input="hole 10=9.82\nhole 6=5.80\npost 6=6.1\n", env=heron.environment,
        capture_output=True, text=True, cwd=heron.folder,
    )  # fmt: skip
    assert '"hole 6"' in named.stdout, named.stderr


def test_an_opening_is_shared_alike_where_no_plate_tells(metier):
    found = metier.json(f"{PAIRS} --clearance 0.05")
    assert found["open_mm"] == pytest.approx(0.2)
    assert (found["hole_to_type_mm"], found["contour_to_type_mm"]) == (0.05, -0.05)


def test_pairs_and_threads(heron):
    heron.json(WORKED)
    heron.json("entered --advised")
    found = heron.json(f"{PAIRS} --clearance 0.1 --plot f.png")
    assert (found["begins_mm"], found["begins_u95_mm"]) == pytest.approx((0.25, 0.0989), abs=1e-4)
    assert found["open_mm"] == pytest.approx(0.15)
    # 0.075 per side in all, shared as the plate says: 0.0978 to 0.0460.
    assert found["hole_change_mm"] == pytest.approx(0.05)
    assert found["contour_change_mm"] == pytest.approx(-0.03, abs=0.011)
    assert found["hole_to_type_mm"] == pytest.approx(0.15)
    assert (heron.folder / "f.png").exists()
    thread = heron.json('fit --thread "M20x2.5 6H/6g"')
    assert thread["trial"] is None
    assert thread["thread"]["least_play_mm"] == pytest.approx(0.042)
    assert thread["thread"]["most_play_mm"] == pytest.approx(0.436)
    assert thread["open_mm"] == pytest.approx(0.25 - (0.042 + 0.436) / 2)
    least = heron.json('fit --thread "M20x2.5 6H/6g" --drawn least')
    assert least["open_mm"] == pytest.approx(0.25 - 0.042)
    assert thread["thread"]["looser_classes"] is None
    ran = heron('fit --thread "3/4-10 UNC 2B/2A" --want press')
    assert "Fit:" in ran.out
    tried = heron.json("fit --tried 0.1/-0.05=snug 0.15/-0.05=slide --want slide")
    assert (tried["now_mm"], tried["verdict"]) == (pytest.approx(0.3), "unclear")
    assert tried["open_mm"] == pytest.approx(0.05)
    assert heron.json("fit --plan")["settings"]["want"] == "slide"
    assert "recheck" in heron.json("fit --pair 0.05=slide 0.2=snug 0.3=slide")["verdict"]
    assert heron.json("logbook check")


def test_one_tried_or_nothing_at_all_answers_with_what_it_can_say(metier):
    one = metier.json("fit --pair 0.2=snug")
    assert (one["verdict"], one["remedies"]) == ("unclear", ["pairs from 0.3 mm clearance on"])
    thread = metier.json("fit --thread M20")
    assert "nothing was tried" in thread["reason"]
    assert thread["now_mm"] == pytest.approx(0.239)
    both = metier.json("fit --thread M20 --tried 0.1/-0.05=snug 0.15/-0.05=slide")
    assert both["thread"]["name"] == "M20x2.5"
    assert both["begins_mm"] == pytest.approx(0.35, abs=0.01)


def test_what_was_opened_for_a_fit_is_what_a_later_plate_is_judged_against(heron):
    heron.json(WORKED)
    heron.json("entered hole 0.10 contour -0.05")
    found = heron.json(f"{PAIRS} --clearance 0.1")
    opened = round(found["hole_to_type_mm"] - 0.10, 9)
    assert opened > 0
    # The clearance to draw comes first: compensation moves every other part, too.
    shown = heron(f"{PAIRS} --clearance 0.1").out
    assert "==> draw +0.15 mm " in shown
    assert "Every other hole and post" in " ".join(shown.split())
    ran = heron(f"entered hole {found['hole_to_type_mm']} contour {found['contour_to_type_mm']}")
    assert f"holes are meant to measure {2 * opened:+.2f} mm" in ran.out
    apart = found["contour_to_type_mm"] + 0.05
    assert apart < 0
    assert f"outlines are meant to measure {2 * apart:+.2f} mm" in ran.out
    # Holes that measure just that much more are as they should be, and are not closed again.
    wider = {4: 4 + 2 * opened, 6: 6 + 2 * opened, 10: 10 + 2 * opened, 16: 16 + 2 * opened}
    holes = " ".join(f"{size}={mm:.3f}" for size, mm in wider.items())
    plate = heron.json(f"xy --hole {holes}")
    assert (plate["verdict"], plate["hole_to_type_mm"]) == ("keep", found["hole_to_type_mm"])
    assert plate["hole_opened_mm"] == pytest.approx(opened)
    # Opened once more for a looser fit, both openings count.
    more = heron.json(f"{PAIRS} --clearance 0.1 --want loose")
    heron.json(f"entered hole {more['hole_to_type_mm']} contour {more['contour_to_type_mm']}")
    both = heron.json(f"xy --hole {holes}")
    assert both["hole_opened_mm"] == pytest.approx(more["hole_to_type_mm"] - 0.10)
    # Typed back to what the plate alone had said, nothing is opened any more.
    heron.json("entered hole 0.10")
    assert heron.json("xy --hole 4=4.0 6=6.0 10=10.0 16=16.0")["hole_opened_mm"] == 0


def test_a_gauge_that_goes_is_all_that_is_told_where_it_is_alone(heron):
    alone = heron.json("xy --pin 19.05=go")
    assert alone["verdict"] == "unclear"
    assert "measures at least that, and nothing more is told" in alone["reason"]
    assert alone["hole_to_type_mm"] is None
    values = heron.json("profile")["values"]
    assert (values["hole"]["status"], values["scale"]["status"]) == ("unset", "unset")
    assert "19.05" in heron("history 1").out


def test_a_gauge_that_goes_is_a_bound_and_no_size(metier):
    agrees = metier.json("xy --hole 6=5.80 10=9.82 16=15.80 --pin 19.05=18.8")
    assert (
        agrees["hole_per_side_mm"]
        == metier.json("xy --hole 6=5.80 10=9.82 16=15.80")["hole_per_side_mm"]
    )
    assert any("a bound that counts for nothing else" in note for note in agrees["notes"])
    crossed = metier.json("xy --hole 6=5.80 10=9.82 16=15.80 --pin 19.05=go")
    assert any("look at both again" in note for note in crossed["notes"])


def test_the_picture_of_a_plate(heron):
    heron.json(f"{WORKED} --plot plate.svg")
    assert "<svg" in (heron.folder / "plate.svg").read_text()


@pytest.mark.parametrize(
    ("typed", "comes_to_mm"),
    [
        # More than is needed opens holes on both sides, and widens posts.
        ("hole 0.2", 6.2),
        ("hole 0.0", 5.8),
        ("contour 0.05", 6.2),
        ("contour -0.15", 5.8),
    ],
)
@pytest.mark.parametrize("fitted", ["", "fitted", "and printed"])
def test_what_is_typed_in_moves_what_the_next_plate_should_measure(
    heron, typed, comes_to_mm, fitted
):
    sizes = "--hole 4=3.8 6=5.8 10=9.8 --post 4=4.1 6=6.1 10=10.1"
    plate = heron.json(f"xy {sizes} --hole-set 0 --contour-set 0")
    if fitted:
        # What is opened for a fit is in what is typed in already.
        heron.json("entered --advised")
        heron.json("fit --pair 0.1=press 0.2=snug 0.3=slide --clearance 0.1")
        heron.json("entered hole 0.15 contour -0.08")
    if fitted == "and printed":
        wide = "--hole 4=4.1 6=6.1 10=10.1 --post 4=3.94 6=5.94 10=9.94"
        plate = heron.json(f"xy {wide} --hole-set 0.15 --contour-set -0.08")
    (foreseen,) = heron.json(f"entered {typed}")["entered"][0]["forecast"]
    assert foreseen["value"] == pytest.approx(comes_to_mm)
    # On the diameter, and of two plates as well known as this one.
    kind = typed.split()[0]
    assert foreseen["u95"] == pytest.approx(2 * math.sqrt(2) * plate[f"{kind}_u95_mm"], rel=1e-3)


@pytest.mark.parametrize(
    ("pin", "same_as"),
    [
        ("19.05=snug", "19.05=19.05/19.17"),
        ("10=9.97:slide", "10=10.05/10.27"),
        ("8=press", "8=7.95/8.05"),
    ],
)
def test_a_coin_or_a_shank_measures_by_its_feel(metier, pin, same_as):
    holes = "xy --hole 4=3.8 6=5.8 16=15.8 --pin"
    felt, tried = (metier.json(f"{holes} {each}") for each in (pin, same_as))
    assert felt["hole_per_side_mm"] == pytest.approx(tried["hole_per_side_mm"], abs=1e-9)
    assert felt["hole_u95_mm"] == pytest.approx(tried["hole_u95_mm"], abs=1e-9)


def test_what_sticks_or_rattles_measures_nothing(metier):
    assert "bounds one side alone" in metier.refuses("xy --hole 6=5.8 --pin 10=loose")
