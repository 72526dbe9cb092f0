"""Broken coupons on their sheet, and as a picture."""

from collections.abc import Sequence

from metier.core.limit.strength import Group, StrengthFinding
from metier.show.figures import decimals_for
from metier.show.sheet import Sheet, table
from metier.trials.coupons.settings import StrengthSettings
from metier.trials.kind import Measured
from metier.trials.limit.lines import limit_act, what_next

Trial = Measured[StrengthSettings, None, StrengthFinding]


def write(trial: Trial, sheet: Sheet) -> None:
    """Write coupons that were broken."""
    finding, settings = trial.finding, trial.settings
    sheet.lines(*_groups(finding.groups))
    if finding.limit_mm3_s is not None:
        remark = "the fastest below where strength is lost"
        remark = "the fastest tried; none was lost" if finding.bound else remark
        sheet.row("strong to", f"{finding.limit_mm3_s:.4g} mm³/s", remark)
    sheet.judged(trial.verdict, trial.notes)
    limit, now = trial.result.limit_mm3_s, settings.on.limit_now_mm3_s
    if not finding.told:
        # What their own table cannot tell is nothing to type.
        limit, now = None, trial.result.limit_to_type_mm3_s
    limit_act(sheet, finding.verdict, limit, now)
    what_next(sheet, trial.number, finding.verdict, limit)


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw the strength of coupons by their flow."""
    from metier.show.limit_plots import plot_strength

    plot_strength(path, title, trial.finding.groups, trial.finding.limit_mm3_s)


def _groups(groups: Sequence[Group]) -> list[str]:
    rows = []
    for group in groups:
        places = decimals_for(group.u95_mpa, 2)
        against = " ".join(f"{flow:.4g}" for flow in group.against_mm3_s)
        more = f", {group.more_coupons} more of each would tell" if group.more_coupons else ""
        rows.append(
            (
                f"{group.flow_mm3_s:.4g}",
                str(group.n),
                f"{group.mean_mpa:.{places}f} ± {group.u95_mpa:.{places}f}",
                f"{100 * group.ratio:.0f} % of {against}" if against else "",
                f"{group.verdict}{more}",
            )
        )
    return table(("mm³/s", "coupons", "MPa", "against", ""), rows, right=(0, 1, 2))
