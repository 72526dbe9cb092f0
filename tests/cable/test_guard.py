"""When a heater has to go off, and what may go out to it: by the clock of the tests."""

import pytest

from metier.cable.guard import Guard, Most, commands_of
from metier.cable.outgoing import Allowed, Outgoing
from metier.cable.port import HeaterFault
from metier.core.errors import BadInput


def judged(told, shown, *, most=None, every_s=1.0):
    """What a guard says of what a heater shows, moment by moment; empty for nothing."""
    guard = Guard(most)
    for line in told:
        guard.sent(line, 0.0)
    for number, text in enumerate(shown):
        try:
            guard.came(f"ok {text}", every_s * number, unasked=False)
        except HeaterFault as fault:
            return f"{number}: {fault}"
    return ""


def nozzle(values, target_c=200):
    return [f"T:{value:.1f} /{target_c} B:21 /0" for value in values]


def test_what_climbs_fifteen_above_its_target_is_a_fault():
    up = [150, 180, 199, 205, 214.9, 215.0, 215.2]
    assert judged(["M104 S200"], nozzle(up)).startswith(
        "6: the nozzle climbs to 215 °C, over its 2"
    )
    # What cools down to a lower target climbs from the lowest that it came to.
    down = [250, 240, 230, 222, 230, 237, 237.2]
    assert judged(["M104 S200"], nozzle(down)).startswith("6: the nozzle climbs to 237 °C")
    assert judged(["M104 S200"], nozzle([250, 240, 230, 215, 201, 199])) == ""


def test_what_is_off_and_heats_is_a_fault():
    assert judged(["M104 S0"], nozzle([21, 50, 84, 86], 0)).startswith("3: the nozzle climbs to 86")
    # One warmed by the bed below it is none, nor one that cools.
    assert judged([], nozzle([21, 40, 60], 0)) == ""
    assert judged(["M104 S0"], nozzle([210, 216, 190, 150, 90], 0)) == ""


@pytest.mark.parametrize(
    ("most", "shown", "fault"),
    [
        (Most(230), nozzle([200, 229, 231], 220), "2: the nozzle shows 231 °C and may have 230"),
        # At its very highest it may swing about it.
        (Most(220), nozzle([200, 221, 224.9], 220), ""),
        (Most(220), nozzle([200, 221, 225.2], 220), "2: the nozzle shows 225 °C and may have 220"),
        # One that somebody set too hot at the printer is not meant here.
        (Most(220), nozzle([200, 218, 223], 260), "2: the nozzle shows 223 °C and may have 220"),
        (Most(220), nozzle([255, 250, 230], 200), ""),
        (Most(220, 70), ["T:21 /0 B:60 /65", "T:21 /0 B:71 /65"], "1: the bed shows 71 °C"),
        (None, nozzle([200, 999], 220), "1: the nozzle shows 999 °C: look at its sensor"),
        (None, nozzle([-60], 220), "0: the nozzle shows -60 °C: look at its sensor"),
    ],
)
def test_nothing_gets_hotter_than_it_may(most, shown, fault):
    assert judged([], shown, most=most).startswith(fault)
    assert bool(judged([], shown, most=most)) is bool(fault)


def test_a_nozzle_that_does_not_gain_is_a_fault_after_forty_seconds():
    stays = [21 + 0.04 * second for second in range(60)]
    fault = judged(["M104 S200"], nozzle(stays))
    assert fault.startswith("40: the nozzle stays at 23 °C and is to reach 200: look at its wires")
    gains = [21 + 0.06 * second for second in range(300)]
    assert judged(["M104 S200"], nozzle(gains)) == ""
    # One that falls off far below what it had reached is no better.
    falls = [200] * 50 + [200 - second for second in range(60)]
    assert judged(["M104 S200"], nozzle(falls)).startswith("99: the nozzle stays at 151 °C")
    assert judged(["M104 S200"], nozzle([193] * 300)) == ""


def test_a_bed_has_two_minutes():
    shown = [f"T:21 /0 B:{30 + 0.015 * second:.2f} /60" for second in range(200)]
    assert judged([], shown).startswith("120: the bed stays at 32 °C and is to reach 60")
    gains = [f"T:21 /0 B:{30 + 0.02 * second:.2f} /60" for second in range(200)]
    assert judged([], gains) == ""


def test_a_heat_that_is_not_reported_any_more_is_a_fault():
    guard = Guard()
    guard.sent("M104 S200", 0.0)
    guard.came("ok T:20 /200", 1.0, unasked=False)
    # Nobody asked since: a board at work is not expected to say it.
    guard.look(100.0, polled=False)
    with pytest.raises(HeaterFault, match="not said for 30 s how hot its nozzle is"):
        guard.look(100.0, polled=True)
    guard.came(" T:60 /200", 101.0, unasked=True)
    guard.look(131.0, polled=False)
    with pytest.raises(HeaterFault):
        guard.look(131.5, polled=False)
    guard.sent("M155 S0", 102.0)
    guard.look(200.0, polled=False)


def test_off_counts_only_when_the_printer_says_so():
    guard = Guard()
    guard.sent("T1", 0.0)
    guard.sent("M104 S200", 0.0)
    guard.sent("M104 T0 S180", 0.0)
    assert guard.on_in_words() == "its nozzle 1 stays on at 200 °C and its nozzle at 180 °C"
    assert guard.off_commands() == ["M104 S0", "M104 T0 S0", "M140 S0"]
    for line in guard.off_commands():
        guard.sent(line, 1.0)
    assert (guard.on, guard.is_off) == (False, False)
    guard.ending = True
    guard.came("ok T:200 /200 T0:180 /0 T1:200 /200 B:60 /0", 2.0, unasked=False)
    assert (guard.on, guard.is_off) == (True, False)
    guard.came("ok T:200 /0 T0:180 /0 T1:200 /0 B:60 /0", 3.0, unasked=False)
    assert (guard.on, guard.is_off) == (False, True)


ALLOWED = Allowed(Most(260, 90), 412.0)


@pytest.mark.parametrize(
    "lines",
    [
        ["M104 S260", "M109 R260", "M140 S90", "M190 S0", "M104 T1 S200"],
        ["M92 E412", "M92 E412.00 X80", "M92 X80 Y80", "M501", "M503", "M204 P500"],
        ["G28", "G1 Z0.2", "G92 Z5", "G1 Z4.5", "G91", "G1 Z-0.1", "G90"],
        ["M117 M500 S900", "; M500", "G1 X1 ; M502", "(M500)"],
        ["G20", "G28", "G1 Z0.01", "G21"],
    ],
)
def test_what_is_plain_passes(lines):
    outgoing = Outgoing(ALLOWED)
    for line in lines:
        outgoing.check(line)


@pytest.mark.parametrize(
    ("lines", "said"),
    [
        (["M104 S261"], "261 °C is too hot for the nozzle: 260 at most"),
        (["m109s300"], "300 °C is too hot for the nozzle"),
        (["N5 M104 S300*33"], "300 °C is too hot for the nozzle"),
        (["G1 X5 M104 S300"], "300 °C is too hot for the nozzle"),
        (["M104 T1 R300"], "300 °C is too hot for the nozzle"),
        (["M104 S" + "9" * 5000], "1e+06 °C is too hot for the nozzle"),
        (["M190 S91"], "91 °C is too hot for the bed: 90 at most"),
        (["M92 E4120"], "M92 sets the e-steps to 4120; the logbook has 412 in force"),
        (["m92 e413"], "M92 sets the e-steps to 413"),
        (["M500"], "M500 writes what the printer carries"),
        (["M0502"], "M502 sets everything back"),
        (["G28", "G1 Z-0.6"], "it moves to z -0.6 mm, into the bed"),
        (["G28", "G91", "G1 Z-0.3", "G0 Z-0.3"], "it moves to z -0.6 mm"),
        (["G28", "G92 Z10", "G1 Z9"], "it moves to z -1 mm"),
        (["G20", "G28", "G1 Z-0.1"], "it moves to z -2.54 mm"),
        (["G28", "G2 X1 I1 Z-2"], "it moves to z -2 mm"),
    ],
)
def test_what_nobody_can_have_meant_is_refused(lines, said):
    outgoing = Outgoing(ALLOWED)
    for line in lines[:-1]:
        outgoing.check(line)
    with pytest.raises(BadInput) as refused:
        outgoing.check(lines[-1])
    assert said in str(refused.value)


def test_steps_that_are_not_known_are_not_set_by_a_file():
    with pytest.raises(BadInput, match="sets the e-steps to 412; the logbook knows none"):
        Outgoing(Allowed(Most(), None)).check("M92 E412")


def test_a_line_is_taken_apart_as_a_board_does():
    assert [(one.code, one.words) for one in commands_of("N7 g1x1.5 e-.5 (M500) *33 ; M502")] == [
        ("G1", {"X": 1.5, "E": -0.5})
    ]
    assert commands_of("T1")[0].code == "T1"
    assert commands_of("hello") == commands_of("") == commands_of("; G1") == ()
