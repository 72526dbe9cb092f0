"""``metier profile``: all values of a bench, as a table, a file or a card."""

from argparse import Namespace
from typing import TYPE_CHECKING

from metier.core.errors import BadInput
from metier.core.standing import Standing
from metier.core.values import VALUES, Value, typed_values
from metier.logbook.bench import Setup
from metier.logbook.trials import latest_on, speeds_noted, trial
from metier.show.figures import decimals_for, short_date, u95_text, with_unit
from metier.show.sheet import Sheet, wrapped
from metier.trials.on_bench import (
    OnBench,
    add_elsewhere_options,
    bench_object,
    bench_phrase,
    needed_setup,
    on_bench_of,
)
from metier.trials.registry import kept_named
from metier.trials.stations import show_next
from metier.words.arguments import option
from metier.words.parser import Answer, Parser, command_parser, existing_logbook

if TYPE_CHECKING:
    from metier.trials.map.kept import FlowAtSpeed

_FORMS = ("card", "write", "fill", "forecast")
PLACES = {
    "printer": "In the printer, stored (M500):",
    "slicer": "In the slicer, for this filament:",
}


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "profile",
        "Show every value for the bench: what to type where, how sure it is, since when and why.",
        "  metier profile --card                 the slip to hold at printer and slicer\n"
        "  metier profile --write fern-1.toml    the same for programs, as TOML\n"
        "  metier profile --fill mine.ini.in mine.ini   @{flow_percent} and the like",
    )
    option(parser, "--write FILE.toml", "write the profile to a file")
    parser.add_argument(
        "--fill", nargs=2, metavar=("TEMPLATE", "OUT"), help="put values into a text file, for "
        "@{flow_percent}, @{limit_mm3_s:.1f}"
    )  # fmt: skip
    option(parser, "--force", "write over a file that exists")
    option(parser, "--forecast FILE", "what walls and holes of a sliced file should measure")
    option(parser, "--card", "the slip: what to type where")
    add_elsewhere_options(parser)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier profile``."""
    if options.force and not (options.write or options.fill):
        raise BadInput("--force goes with --write FILE.toml or --fill TEMPLATE OUT")
    forms = [f"--{form}" for form in _FORMS if getattr(options, form)]
    if len(forms) > 1:
        raise BadInput(f"{forms[0]} and {forms[1]} are two answers: give one of them")
    if options.forecast:
        from metier.commands.profile_forecast import profile_forecast

        return profile_forecast(options)
    with existing_logbook(options.logbook) as book:
        bench = on_bench_of(book, options)
        ready = needed_setup(bench.chosen)
        values = standings(bench)
        row = _flow_row(bench, ready)
        text = (
            _card(bench, ready, values, row) if options.card else _sheet(bench, ready, values, row)
        )
        payload = profile_object(bench)
        keys = keys_of(bench)
    if options.write:
        from metier.formats.profile_toml import write_profile

        write_profile(options.write, payload, overwrite=options.force)
        text = f"Wrote the profile of {bench_phrase(ready)} to {options.write}"
        return Answer({**payload, "written": options.write}, text)
    if options.fill:
        from metier.formats.template import fill_file

        template, out = options.fill
        fill_file(template, out, keys, overwrite=options.force)
        sheet = Sheet(f"Filled in: {bench_phrase(ready)}")
        sheet.row("written", out, f"from {template}")
        for name, now in values.items():
            if now.status == "doubtful":
                sheet.note(f"{VALUES[name].called}: {now.why}", "doubtful")
        return Answer({**payload, "written": out}, sheet.text())
    return Answer(payload, text)


def profile_object(bench: OnBench) -> dict[str, object]:
    """Return all values of a bench as JSON has them.

    Raises:
        BadInput: the bench is not chosen whole.
    """
    ready = needed_setup(bench.chosen)
    return {
        "bench": bench_object(bench.chosen),
        "values": {name: _object(VALUES[name], now) for name, now in standings(bench).items()},
        "flow_by_speed": [speed._asdict() for speed in _flow_row(bench, ready)],
        "keys": keys_of(bench),
    }


def keys_of(bench: OnBench) -> dict[str, float | str | None]:
    """Return what a template may name: each value by its name and unit, with ± and what is in
    force, and what is on the bench."""
    ready = needed_setup(bench.chosen)
    keys: dict[str, float | str | None] = {}
    for name, row in VALUES.items():
        now, (first, _, unit) = bench.stands(name), row.key.partition("_")
        for middle, value in (("", now.value), ("_u95", now.u95), ("_in_force", now.in_force)):
            key = f"{first}{middle}_{unit}" if unit else f"{first}{middle}"
            keys[key] = None if value is None else row.seen(value)
    flow = bench.stands("flow").value
    printer, nozzle, spool, heat_c = ready
    return {
        **keys,
        # The one that is printed at, whether it was looked for by steps or not.
        "temperature_c": heat_c,
        "flow_ratio": flow,
        "printer": printer.name,
        "nozzle": nozzle.name,
        "bore_mm": nozzle.bore_mm,
        "spool": spool.name,
        "material": spool.material,
        "maker": spool.maker,
        "colour": spool.colour,
        "bed_c": spool.bed_c,
        "fan_percent": spool.fan_percent,
        "day": f"{bench.now.astimezone():%Y-%m-%d}",
    }


def standings(bench: OnBench) -> dict[str, Standing]:
    """Return how all values stand, without the bench's own temperature where nobody looked for it
    by steps."""
    stands = {name: bench.stands(name) for name in VALUES}
    return {
        name: now
        for name, now in stands.items()
        if not (VALUES[name].is_heat and now.status == "unset")
    }


def why_text(bench: OnBench, name: str, now: Standing) -> str:
    """Return why a value stands as it does, what is in force meanwhile, and what was seen."""
    why = now.why
    if now.status == "advised" and now.in_force is not None:
        why += f"; in force is {bench.worded(name, now.in_force)}"
    if VALUES[name].of_temperature and now.trial:
        seen = kept_named(VALUES[name].measured_by).beside(trial(bench.book, now.trial))
        why += f"; {seen}" if seen else ""
    return why


def _flow_row(bench: OnBench, ready: Setup) -> tuple["FlowAtSpeed", ...]:
    """Return the flow that each speed needs, where walls of several were measured here."""
    if len(speeds_noted(bench.book, ready)) < 2 and not latest_on(bench.book, ready, "map", 1):
        return ()
    from metier.trials.map.mapping import flow_row

    return flow_row(bench)


def _object(row: Value, now: Standing) -> dict[str, object]:
    def shown(value: float | None) -> float | None:
        return None if value is None else row.seen(value)

    return {
        "value": shown(now.value),
        "u95": shown(now.u95),
        "unit": row.unit,
        "status": now.status,
        "in_force": shown(now.in_force),
        "since": now.since,
        "trials": now.trials,
        "why": now.why,
    }


def _sheet(
    bench: OnBench, ready: Setup, values: dict[str, Standing], row: tuple["FlowAtSpeed", ...]
) -> str:
    sheet = Sheet(f"Profile: {bench_phrase(ready)}")
    shown = {
        name: with_unit(name, now.value, bench.writing, now.u95)
        for name, now in values.items()
        if now.value is not None
    }
    width = max([1, *(len(text) for text in shown.values())])
    for name, now in values.items():
        since = f"{short_date(now.since)}: " if now.since else ""
        lead = f"  {VALUES[name].called:<8}  {shown.get(name, '-'):<{width}}  {now.status:<8}  "
        sheet.lines(*wrapped(f"{since}{why_text(bench, name, now)}", lead, " " * len(lead)))
    if row:
        sheet.gap()
        sheet.note(f"{_row_text(row)} (metier map)", "by speed")
    show_next(sheet, bench)
    return sheet.text()


def _row_text(row: tuple["FlowAtSpeed", ...]) -> str:
    """Return «78 % at 10, 82 % at 20 mm/s»."""
    return (
        ", ".join(f"{at_speed.to_type_percent:g} % at {at_speed.speed_mm_s:g}" for at_speed in row)
        + " mm/s"
    )


def _card(
    bench: OnBench, ready: Setup, values: dict[str, Standing], by_speed: tuple["FlowAtSpeed", ...]
) -> str:
    printer, nozzle, spool, heat = ready
    typed = {name: VALUES[name] for name in typed_values()}
    heated = "" if heat is None else f", {heat:g} °C"
    filament = " ".join(part for part in (spool.maker, spool.material, spool.colour) if part)
    on = f"{printer.name}, nozzle {nozzle.name}{heated}"
    rows = [f"{spool.name}, {bench.today}", filament, on]
    for place, heading in PLACES.items():
        rows += ["", heading]
        for name, row in typed.items():
            now = values.get(name)
            if now and row.place == place:
                status = "not known" if now.status == "unset" else now.status
                rows.append(f" {row.called}: {row.also}")
                known = "_" * 10
                if now.value is not None:
                    known = f"{bench.worded(name, now.value)} {u95_text(name, now.u95)}".rstrip()
                rows.append(f"   {known}, {status}")
                if row.of_speed and by_speed:
                    rows += [
                        f"   at {at_speed.speed_mm_s:g} mm/s: {at_speed.to_type_percent:g} % "
                        f"± {at_speed.u95_percent:.{decimals_for(at_speed.u95_percent, 1)}f} %"
                        for at_speed in by_speed
                    ]
    rows += ["", "± holds 95 times in 100"]
    inside = max(len(row) for row in rows)
    edge = f"+{'-' * (inside + 2)}+"
    return "\n".join([edge, *(f"| {row:<{inside}} |" for row in rows), edge])
