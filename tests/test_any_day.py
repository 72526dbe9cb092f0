"""The same on any day, in any zone and any locale: what is said of today and of days by name."""

import locale
import subprocess
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest

from tests import moment

FLOW = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --line-model rounded --read 0.54 0.55"
# At the ends of the earth, of months, of a year, of a leap February, and where an hour is left out
# or there twice.
MOMENTS = (
    ("2027-01-01 00:00:30", "Pacific/Kiritimati"),
    ("2026-12-09 23:59:50", "Pacific/Pago_Pago"),
    ("2026-12-10 00:00:00", "UTC"),
    ("2026-12-31 12:00:00", "Pacific/Pago_Pago"),
    ("2028-02-29 00:00:30", "Pacific/Kiritimati"),
    ("2027-03-28 03:00:30", "Europe/Berlin"),
    ("2027-10-31 02:30:00", "Europe/Berlin"),
)


@pytest.mark.parametrize(("day", "zone"), MOMENTS)
def test_today_and_days_by_name_are_those_of_where_one_stands(heron, day, zone):
    local = datetime.fromisoformat(day).replace(tzinfo=ZoneInfo(zone))
    with moment.at(local.astimezone(UTC), zone):
        assert f"{local:%-d %b %Y}" in heron("profile --card").out.splitlines()[1]
        heron.json(FLOW)
        assert f"{local:%-d %b} " in heron("history").out
        assert heron.json(f"history --since {local:%Y-%m-%d}")["trials"]
        assert heron.json(f"trial 1 --at {local:%Y-%m-%d}")
        before = local - timedelta(days=40)
        heron.json(f"trial 1 --at {before:%Y-%m-%d}")
        said = f"trial 1, measured: {before:%Y-%m-%d} (was {local:%Y-%m-%d})"
        assert heron.json("undo")["taken_back"] == [said]
        heron.json(f"entered flow 94 --at {before:%Y-%m-%d}")
        heron.json("workshop export a.toml")
        assert f"date = {before:%Y-%m-%d}" in (heron.folder / "a.toml").read_text()
        after = local + timedelta(days=2)
        assert "still to come" in heron.refuses(f"{FLOW} --at {after:%Y-%m-%d}")
        assert heron("label a.svg").out.rstrip().endswith(f"{local:%Y-%m-%d}")
        assert f"Written by Metier on {local:%-d %b %Y}" in report(heron)
        assert heron.json("logbook check")["sound"]


def report(bench):
    bench.json("report a.html")
    return (bench.folder / "a.html").read_text()


@pytest.fixture
def decimal_comma():
    """A locale of this machine that writes a decimal comma, set as a library might set it."""
    listed = subprocess.run(["locale", "-a"], capture_output=True, text=True, check=False).stdout
    before = locale.setlocale(locale.LC_NUMERIC)
    for name in listed.split():
        with suppress(locale.Error):
            locale.setlocale(locale.LC_NUMERIC, name)
            if locale.localeconv()["decimal_point"] == ",":
                break
    else:
        locale.setlocale(locale.LC_NUMERIC, before)
        pytest.skip("no locale with a decimal comma is installed here")
    yield
    locale.setlocale(locale.LC_NUMERIC, before)


@pytest.mark.usefixtures("decimal_comma")
def test_a_decimal_comma_of_the_locale_changes_nothing(heron):
    answer = heron(f"{FLOW} 0,53 --plot a.svg").out
    assert "0.540 ±" in answer
    assert heron.json("profile")["values"]["esteps"]["value"] == 412.0
    assert "412.00 steps/mm" in heron("profile").out
    assert "0,54" not in answer + (heron.folder / "a.svg").read_text("utf-8")
