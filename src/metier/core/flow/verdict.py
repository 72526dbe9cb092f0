"""The verdict on a flow: keep, correct, cannot tell yet, or look elsewhere first."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.posterior import (
    Aim,
    FlowAnswer,
    Known,
    answer,
    answers,
    influences,
    off_by_more,
    posterior,
    sure_range,
)
from metier.core.flow.repeats import FlowedWall, Response, response
from metier.core.flow.settling import Forecast, cannot_be_sure, forecast, settles
from metier.core.flow.trials import DosedWall, FlowTrial, dosed_walls
from metier.core.line.bead import spacing_mm
from metier.core.measure.readings import Instrument, scatters_more_than
from metier.core.measure.student import Influence
from metier.core.measure.thresholds import exceeds, same
from metier.core.values import LineModel
from metier.core.verdicts import Verdict

_MOST_SCATTER_MM = 0.06


class Delivered(NamedTuple):
    """The share delivered over dosed, and its U at 95 %."""

    share: float
    u95: float


class FlowFinding(NamedTuple):
    """What a print says about flow together with those before it; flows are ratios.

    ``flow_set`` is the flow that is set, ``flow_new`` the best estimate (None while the line
    model decides between two), ``interval`` where it lies at 95 %, ``sure`` how sure the flow
    set is, or the one to type where none is set. ``under`` holds the answer of each line model
    that it could be. ``rough`` tells that no more of the same would ever be sure, and that what
    is set has stood as far as that can tell. ``delivered`` is what this roll's own walls say,
    ``forecasts`` what the prints before let expect of each section of this one.
    """

    trial: FlowTrial
    flow_set: float | None
    flow_new: float | None
    interval: tuple[float, float]
    flow_plain: float | None
    flow_to_type: float | None
    sure: float | None
    sure_range: tuple[float, float] | None
    under: dict[LineModel, FlowAnswer]
    pooled: int
    texture_mm: float | None
    response: Response | None
    influences: tuple[Influence, ...]
    rough: bool
    verdict: Verdict
    delivered: Delivered | None = None
    forecasts: tuple[Forecast, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def u95(self) -> float:
        """Half the length of the interval."""
        return (self.interval[1] - self.interval[0]) / 2


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

    ``model`` is the slicer's line model; while it is None and no dose is known otherwise, there
    are two answers and the verdict is unclear, unless both say the same.
    """
    by_model = answers(trials, flow_set, aim, known)
    used = {model: by_model[model]} if model in by_model else by_model
    followed = _response(trials)
    judging = _Judging(trials, instrument, followed, flow_set, plausible, aim, known)
    # What would settle it takes a while to find out; while the model decides, that settles it.
    known_model = len(used) == 1
    verdicts = {each: judging.verdict(each, one, known_model) for each, one in used.items()}
    decided = known_model or _say_the_same(verdicts, by_model)
    chosen_model, chosen = next(iter(used.items()))
    low = min(one.interval[0] for one in used.values())
    high = max(one.interval[1] for one in used.values())
    verdict = verdicts[chosen_model] if decided else _model_decides(trials[-1], by_model)
    to_type = None
    if decided:
        to_type = {"correct": chosen.to_type, "recheck": None}.get(verdict.name, flow_set)
    walls = dosed_walls(trials, chosen_model)
    sure = (chosen.sure_new if flow_set is None else chosen.sure_set) if decided else None
    several = len({wall.walls for wall in walls}) > 1
    made = influences(walls, chosen, known)
    if not decided:
        flows = [one.flow_new for one in by_model.values()]
        made.insert(0, Influence("line model", (max(flows) - min(flows)) / 2))
    last = trials[-1]
    return FlowFinding(
        trial=last,
        flow_set=flow_set,
        flow_new=chosen.flow_new if decided else None,
        interval=(low, high),
        flow_plain=_plain(last),
        flow_to_type=to_type,
        sure=sure,
        sure_range=sure_range(chosen.posterior, aim)
        if decided and verdict.name != "recheck"
        else None,
        under=by_model,
        pooled=len(trials),
        texture_mm=chosen.posterior.texture_mm if several and decided else None,
        response=followed,
        influences=tuple(made),
        rough=decided and _as_good_as_done(trials, walls, flow_set, verdict, aim, known),
        verdict=verdict,
        delivered=_delivered(walls, chosen, known) if decided else None,
        forecasts=_forecasts(trials, chosen_model, known) if decided else (),
    )


def _delivered(walls: Sequence[DosedWall], chosen: FlowAnswer, known: Known) -> Delivered:
    """Return what the walls alone say, other rolls left out."""
    share = chosen.posterior
    if known.prior != known.walls_alone:
        share = posterior(walls, known.walls_alone, known.print_scatter)
    low, high = share.quantile(0.025), share.quantile(0.975)
    return Delivered(share.quantile(0.5), (high - low) / 2)


def _forecasts(trials: Sequence[FlowTrial], model: LineModel, known: Known) -> tuple[Forecast, ...]:
    """Return what the prints before let expect of the last one, section by section."""
    *before, last = trials
    walls = dosed_walls(before, model)
    return forecast(walls, last.as_walls(model), known) if walls else ()


def _plain(trial: FlowTrial) -> float | None:
    """Return the ratio on paper: flow · N · width / wall."""
    if trial.width_mm is None or trial.flow is None:
        return None
    section = trial.sections[0]
    return trial.flow * section.walls * trial.width_mm / section.wall.value


def _response(trials: Sequence[FlowTrial]) -> Response | None:
    """Return how walls follow flow, of the like prints whose flows span the most."""
    groups: dict[tuple[int, float | None, float | None], list[FlowedWall]] = {}
    for trial in trials:
        if trial.flow is None:
            continue
        apart = trial.dose and trial.dose.spacing_mm
        for section in trial.sections:
            like = (section.walls, apart, None if apart else trial.width_mm)
            flow = trial.flow * section.part_dosed
            wall = FlowedWall(section.wall.value, flow, section.u_repeat_mm, section.dof)
            groups.setdefault(like, []).append(wall)

    def span(walls: list[FlowedWall]) -> float:
        return max(wall.flow for wall in walls) / min(wall.flow for wall in walls)

    if not groups:
        return None
    (lines, *_), widest = max(groups.items(), key=lambda item: span(item[1]))
    return response(widest, lines, trials[-1].layer_mm)


class _Judging(NamedTuple):
    """All that a verdict rests on but the line model."""

    trials: Sequence[FlowTrial]
    instrument: Instrument
    followed: Response | None
    flow_set: float | None
    plausible: tuple[float, float]
    aim: Aim
    known: Known

    def verdict(self, model: LineModel, answer: FlowAnswer, advised: bool) -> Verdict:
        """Return the first verdict that holds under one line model; with what settles it."""
        recheck = (
            _not_believable(answer, self.plausible)
            or _not_following(self.followed)
            or _not_approaching(self.trials, model, self.aim, self.known)
            or _scattering(self.trials[-1], self.instrument)
        )
        if recheck:
            return recheck
        aim, flow_set = self.aim, self.flow_set
        new = f"{100 * answer.to_type:.3g} %"
        if flow_set is not None and answer.sure_set is not None:
            now = f"{100 * flow_set:.3g} %"
            sure = f"sure: {100 * answer.sure_set:.0f} %"
            if answer.sure_set >= aim.sure:
                return Verdict("keep", f"{now} stands, {sure}")
            off = off_by_more(answer, flow_set, aim.band)
            differs = not same(answer.to_type, flow_set)
            if (off and answer.sure_set <= 1 - aim.sure) or (
                differs and answer.sure_new >= aim.sure
            ):
                much = 100 * (flow_set / answer.flow_new - 1)
                return Verdict("correct", f"{now} is {abs(much):.1f} % too {_side(much)} ({sure})")
            why = f"{now} stands, {100 * answer.sure_set:.0f} % sure"
        elif answer.sure_new >= aim.sure:
            sure = f"sure: {100 * answer.sure_new:.0f} %"
            return Verdict("correct", f"no flow is known to be set; {new} is right, {sure}")
        else:
            why = f"{new} is likeliest, {100 * answer.sure_new:.0f} % sure"
        remedies: tuple[str, ...] = ()
        if advised:
            remedies = settles(self.trials, model, self.instrument, aim, self.known)
        return Verdict("unclear", why, remedies)


def _side(much: float) -> str:
    return "much" if much > 0 else "little"


def _say_the_same(
    verdicts: dict[LineModel, Verdict], by_model: dict[LineModel, FlowAnswer]
) -> bool:
    names = {verdict.name for verdict in verdicts.values()}
    if len(names) > 1 or names == {"unclear"}:
        return False
    return names != {"correct"} or len({one.to_type for one in by_model.values()}) == 1


def _model_decides(trial: FlowTrial, by_model: dict[LineModel, FlowAnswer]) -> Verdict:
    each = " or ".join(
        f"{100 * one.flow_new:.0f} % where lines are {model}" for model, one in by_model.items()
    )
    remedies = [
        "the sliced file: --sliced FILE",
        "two numbers off the slicer's preview, flow and speed of a wall: --preview 3.66@40",
    ]
    if trial.width_mm is not None:
        wide, near = (
            f"{spacing_mm(trial.width_mm, trial.layer_mm, model):.3f}"
            for model in ("rectangular", "rounded")
        )
        remedies.insert(
            0,
            f"do lines lie {wide} or {near} mm apart in the preview? --line-model rectangular "
            "or rounded says it",
        )
    return Verdict("unclear", f"it hangs on how the slicer doses a line: {each}", tuple(remedies))


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


def _not_approaching(
    trials: Sequence[FlowTrial], model: LineModel, aim: Aim, known: Known
) -> Verdict | None:
    """Three prints, each at what the one before advised, and no nearer."""
    if len(trials) < 4:
        return None
    offs = []
    for before, trial in zip(trials[-4:-1], trials[-3:], strict=True):
        if trial.flow is None or before.advised is None or not same(before.advised, trial.flow):
            return None
        own = answer(trial.as_walls(model), None, aim, known)
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


def _as_good_as_done(
    trials: Sequence[FlowTrial],
    walls: Sequence[DosedWall],
    flow_set: float | None,
    verdict: Verdict,
    aim: Aim,
    known: Known,
) -> bool:
    """Tell whether a flow that walls can never be sure of has stood all the same."""
    if verdict.name != "unclear" or flow_set is None or len(trials) < 2:
        return False
    if not cannot_be_sure(walls, aim, known):
        return False
    if len(trials) >= 4:
        return True
    last = {wall.print_number for wall in walls[-2:]}
    pools = [walls, *([w for w in walls if w.print_number == number] for number in last)]
    for pool in pools:
        low, high = answer(pool, None, aim, known).interval
        if not low <= flow_set <= high:
            return False
    return True
