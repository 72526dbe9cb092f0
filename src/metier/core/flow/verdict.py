"""The verdict on a flow: keep, correct, cannot tell yet, or look elsewhere first."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.answer import (
    Aim,
    FlowAnswer,
    Known,
    answer,
    influences,
    off_by_more,
    sure_range,
)
from metier.core.flow.posterior import texture_mm
from metier.core.flow.repeats import FlowedWall, Response, response
from metier.core.flow.rows import DosedWall, Row
from metier.core.flow.settling import Forecast, forecast, settles
from metier.core.flow.trials import FlowTrial, dosed_walls
from metier.core.measure.readings import Instrument, scatters_more_than
from metier.core.measure.student import Influence
from metier.core.measure.thresholds import exceeds, same
from metier.core.values import LineModel
from metier.core.verdicts import Verdict

_MOST_SCATTER_MM = 0.06
# A set flow stands beside a best guess that is sure, when it is hardly less so.
_HARDLY_LESS = 0.10
# A set flow this unlikely is wrong, even where what is right is not known well.
_UNLIKELY = 0.25
# A correction must come nearer to what is right with this chance: with more where it is rough.
_NEARER, _NEARER_ROUGH = 0.80, 0.90
# A line model with less of a share than this is out of the question; one that was told and has less
# than the other is asked about.
_POSSIBLE, _DOUBTED = 0.05, 0.60


class Delivered(NamedTuple):
    """The share delivered over dosed by this roll's own prints, and its U at 95 %."""

    share: float
    u95: float


class FlowFinding(NamedTuple):
    """What a print says about flow together with those before it; flows are ratios.

    ``flow_set`` is the flow that is set, ``flow_to_type`` the value to type (None on recheck
    alone), ``answer`` all that the posterior says. ``sure_typed`` is how likely the value to type
    is right, ``rough`` tells that this is less than was wanted, ``stands`` that two prints and all
    together hold the value that is set. ``delivered`` is what this roll's own prints say,
    ``forecasts`` what the prints before let expect of each section of this one. ``ask_model`` is
    why the line model is asked for, where it decides.
    """

    trial: FlowTrial
    flow_set: float | None
    answer: FlowAnswer
    flow_plain: float | None
    flow_to_type: float | None
    sure_typed: float | None
    rough: bool
    sure_range: tuple[float, float] | None
    pooled: int
    texture_mm: float | None
    response: Response | None
    influences: tuple[Influence, ...]
    stands: bool
    verdict: Verdict
    delivered: Delivered
    forecasts: tuple[Forecast, ...] = ()
    ask_model: str = ""
    notes: tuple[str, ...] = ()

    @property
    def flow_new(self) -> float:
        """The best estimate."""
        return self.answer.flow_new

    @property
    def interval(self) -> tuple[float, float]:
        """Where the right flow lies at 95 %."""
        return self.answer.interval

    @property
    def u95(self) -> float:
        """Half the length of the interval."""
        return self.answer.u95

    @property
    def hangs_on_model(self) -> bool:
        """Whether what was dosed hangs on the line model."""
        return len(self.answer.joint.under) > 1


def plausible_flow(foaming: bool = False, flexible: bool = False) -> tuple[float, float]:
    """Return the range that a flow must touch to be believed, by kind of filament."""
    lowest = 0.35 if foaming else 0.75
    highest = 1.50 if flexible else (1.15 if foaming else 1.30)
    if flexible and not foaming:
        lowest = 0.85
    return lowest, highest


def judge_flow(
    trials: Sequence[FlowTrial],
    instrument: Instrument,
    *,
    model: LineModel | None,
    flow_set: float | None,
    plausible: tuple[float, float] = (0.75, 1.30),
    aim: Aim = Aim(),  # noqa: B008 (immutable)
    known: Known = Known(),  # noqa: B008 (immutable)
) -> FlowFinding:
    """Return what the last of these prints says, in the light of the others.

    ``model`` is the line model that somebody told; ``known`` has how likely each is.

    Raises:
        BadInput: nothing is known of what was dosed.
    """
    judged = answer(trials, flow_set, aim, known)
    likelier = judged.joint.likelier
    last, walls = trials[-1], dosed_walls(trials, likelier)
    rows = [row for trial in trials for row in trial.rows(likelier)]
    followed = _response(trials, known.print_scatter)
    verdict = (
        _not_believable(judged, plausible)
        or _not_following(followed)
        or _not_approaching(trials, aim, known)
        or _scattering(last, instrument)
        or _by_chance(judged, flow_set, aim)
    )
    to_type = {"recheck": None, "keep": flow_set}.get(verdict.name, judged.to_type)
    sure_typed = judged.sure_set if verdict.name == "keep" else judged.sure_new
    if verdict.name == "unclear":
        remedies = settles(trials, judged, rows, instrument, aim, known)
        verdict = verdict._replace(remedies=remedies)
    stands = verdict.name == "unclear" and _has_stood(trials, judged, flow_set, aim, known)
    return FlowFinding(
        trial=last,
        flow_set=flow_set,
        answer=judged,
        flow_plain=_plain(last),
        flow_to_type=to_type,
        sure_typed=None if to_type is None else sure_typed,
        rough=to_type is not None and (sure_typed or 0.0) < aim.sure and verdict.name != "keep",
        sure_range=None if verdict.name == "recheck" else sure_range(judged, aim),
        pooled=len(trials),
        texture_mm=_texture(walls, rows, judged, known),
        response=followed,
        influences=tuple(influences(rows, judged, known)),
        stands=stands,
        verdict=verdict,
        delivered=_delivered(judged),
        forecasts=_forecasts(trials, aim, known),
        ask_model=_ask_model(judged, model, aim),
    )


def _texture(
    walls: Sequence[DosedWall], rows: Sequence[Row], judged: FlowAnswer, known: Known
) -> float | None:
    """Return texture and jaws where single lines or two numbers of lines tell of them."""
    counts = {wall.walls for wall in walls}
    if counts != {1} and len(counts) < 2:
        return None
    return texture_mm(rows, judged.joint.under[judged.joint.likelier], known.print_scatter)


def _delivered(judged: FlowAnswer) -> Delivered:
    """Return what a roll's own prints say, other rolls left out."""
    share = judged.joint.own[judged.joint.likelier]
    return Delivered(share.quantile(0.5), share.share_u95)


def _forecasts(trials: Sequence[FlowTrial], aim: Aim, known: Known) -> tuple[Forecast, ...]:
    """Return what the prints before let expect of the last one, section by section."""
    *before, last = trials
    if not before:
        return ()
    judged = answer(before, None, aim._replace(wall_mm=None), known)
    model = judged.joint.likelier
    rows = [row for trial in before for row in trial.rows(model)]
    return forecast(rows, judged, last.as_walls(model), known)


def _plain(trial: FlowTrial) -> float | None:
    """Return the ratio on paper: flow · N · width / wall."""
    section = trial.sections[0] if trial.sections else None
    if section is None or section.flow is None or section.width_mm is None:
        return None
    return section.flow * section.walls * section.width_mm / section.wall.value


def _response(trials: Sequence[FlowTrial], print_scatter: float) -> Response | None:
    """Return how walls follow flow, of the like prints whose flows span the most."""
    groups: dict[tuple[int, float | None], list[FlowedWall]] = {}
    for trial in trials:
        for section in trial.sections:
            if section.flow is None:
                continue
            apart_mm = section.apart_mm(trial.layer_mm, "rounded")
            like = (section.walls, apart_mm and round(apart_mm, 6))
            wall = FlowedWall(
                section.wall.value, section.flow, section.u_repeat_mm, section.dof, section.sides
            )
            groups.setdefault(like, []).append(wall)

    def span(walls: list[FlowedWall]) -> float:
        return max(wall.flow for wall in walls) / min(wall.flow for wall in walls)

    if not groups:
        return None
    (lines, _), widest = max(groups.items(), key=lambda item: span(item[1]))
    return response(widest, lines, trials[-1].layer_mm, print_scatter)


def percent(ratio: float) -> str:
    """Return «94 %», «93.5 %»."""
    return f"{100 * ratio:.4g} %"


def chance(likely: float) -> str:
    """Return a chance in words: «62 in 100»."""
    return f"{100 * likely:.0f} in 100"


def _by_chance(judged: FlowAnswer, flow_set: float | None, aim: Aim) -> Verdict:
    best, likely = percent(judged.to_type), chance(judged.sure_new)
    if flow_set is None or judged.sure_set is None:
        if judged.sure_new >= aim.sure:
            return Verdict("correct", f"chance that {best} is right: {likely}")
        low, high = (100 * flow for flow in judged.interval)
        guess = f"best guess {best} ({low:.0f} to {high:.0f})"
        return Verdict("unclear", f"{guess}: right with a chance of {likely}")
    now, stands = percent(flow_set), chance(judged.sure_set)
    sure = judged.sure_new >= aim.sure
    hardly_less = sure and judged.sure_set >= judged.sure_new - _HARDLY_LESS
    if judged.sure_set >= aim.sure or hardly_less:
        return Verdict("keep", f"chance that {now} is right: {stands}")
    low, high = judged.interval
    outside = exceeds(low, flow_set) or exceeds(flow_set, high)
    wrong = outside and off_by_more(judged.flow_new, flow_set, aim.band)
    worth = sure or (wrong and judged.sure_set <= _UNLIKELY)
    if worth and judged.nearer_than(flow_set) >= (_NEARER if sure else _NEARER_ROUGH):
        much = 100 * (flow_set / judged.flow_new - 1)
        side = "much" if much > 0 else "little"
        why = f"{now} is {abs(much):.1f} % too {side}; chance that {now} is right: {stands}"
        return Verdict("correct", f"{why}, that {best} is: {likely}")
    span = f"{100 * low:.0f} to {100 * high:.0f}"
    if same(judged.to_type, flow_set):
        return Verdict(
            "unclear", f"{now} is the best guess ({span}): right with a chance of {likely}"
        )
    guess = f"best guess {best} ({span}): right with a chance of {likely}"
    return Verdict("unclear", f"{guess}; {now} with {stands}")


def _ask_model(judged: FlowAnswer, model: LineModel | None, aim: Aim) -> str:
    """Return why the slicer's line model is asked for, where it decides; else nothing."""
    odds, under = judged.joint.odds, judged.joint.under
    if len(under) < 2:
        return ""
    flows = {each: share.flow for each, share in under.items()}
    apart = max(flows.values()) - min(flows.values())
    if model is None:
        if min(odds.values()) <= _POSSIBLE or not exceeds(apart, aim.round_step):
            return ""
        each = " or ".join(
            f"{percent(round(flow, 3))} where lines are {name}" for name, flow in flows.items()
        )
        return f"how the slicer doses a line decides: {each}"
    if odds[model] >= _DOUBTED:
        return ""
    other = next(name for name in under if name != model)
    return f"you told {model}; the walls fit {other} as well: look once in the slicer's preview"


def _not_believable(answer: FlowAnswer, plausible: tuple[float, float]) -> Verdict | None:
    lowest, highest = plausible
    low, high = answer.interval
    if not (exceeds(lowest, high) or exceeds(low, highest)):
        return None
    return Verdict(
        "recheck",
        f"a flow of {100 * answer.flow_new:.0f} % is not believable "
        f"({100 * lowest:.0f} … {100 * highest:.0f} %): something else is wrong",
        (
            "the wall count and line width the slicer really printed with",
            "e-steps: measure them before flow",
            "how the slicer doses a line: --sliced or --preview tells",
            "a partly blocked nozzle, too cold a print, or slipping filament"
            if answer.flow_new > highest
            else "a first layer, a seam, a blob or a closed top between the jaws",
        ),
    )


def _not_following(followed: Response | None) -> Verdict | None:
    if followed is None or followed.follows == "as it should":
        return None
    shown = f"{100 * followed.ratio:.0f} ± {100 * followed.u95:.0f} % of what flow should do"
    if followed.follows == "too little":
        return Verdict(
            "recheck",
            f"walls do not follow flow ({shown}): what is lacking is not flow",
            (
                "jaws that squeeze a soft wall: let them just touch",
                "a gear that slips, or a nozzle partly blocked",
                "printed faster than the hot end melts",
                "parts mixed up",
            ),
        )
    return Verdict(
        "recheck",
        f"walls follow flow too much ({shown}): the prints do not belong together",
        ("parts mixed up, or a flow that was not the one sliced", "another width or wall count"),
    )


def _not_approaching(trials: Sequence[FlowTrial], aim: Aim, known: Known) -> Verdict | None:
    """Three prints, each at what the one before advised, and no nearer."""
    if len(trials) < 4:
        return None
    offs = []
    for before, trial in zip(trials[-4:-1], trials[-3:], strict=True):
        if trial.flow is None or before.advised is None or not same(before.advised, trial.flow):
            return None
        own = answer([trial], None, aim, known)
        if own.interval[0] <= trial.flow <= own.interval[1]:
            return None
        offs.append(abs(trial.flow / own.flow_new - 1))
    if offs[2] < offs[1] or offs[1] < offs[0]:
        return None
    return Verdict(
        "recheck",
        "three prints in a row, each at the flow advised, came no nearer: it is not flow",
        (
            "whether the flow advised was really typed in and the cube sliced again",
            "the wall count and line width the slicer really printed with",
            "a worn nozzle, another strand diameter or temperature",
        ),
    )


def _scattering(trial: FlowTrial, instrument: Instrument) -> Verdict | None:
    for section in trial.sections:
        if scatters_more_than(section.wall, instrument, 5) and exceeds(
            section.wall.scatter, _MOST_SCATTER_MM
        ):
            return Verdict(
                "recheck",
                f"the readings scatter by {section.wall.scatter:.3f} mm, over five times what the "
                "instrument does",
                (
                    "a misread value or debris between the jaws",
                    "walls of different thickness: measure side by side and compare",
                    "under-extrusion that comes and goes",
                ),
            )
    return None


def _has_stood(
    trials: Sequence[FlowTrial], judged: FlowAnswer, flow_set: float | None, aim: Aim, known: Known
) -> bool:
    """Tell whether all prints together and each of two of them hold the flow that is set."""
    if flow_set is None or not judged.interval[0] <= flow_set <= judged.interval[1]:
        return False
    holding = 0
    for trial in reversed(trials):
        low, high = answer([trial], None, aim, known).interval
        holding += low <= flow_set <= high
        if holding == 2:
            return True
    return False
