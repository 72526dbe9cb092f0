"""A finding about flow as it is kept, printed as JSON and exported."""

from metier.core.flow.verdict import FlowFinding
from metier.core.line.bead import LINE_MODELS, LineModel, spacing_mm, wall_mm
from metier.core.measure.student import by_name
from metier.core.values import VALUES
from metier.trials.flow.kept import FlowResult, SectionResult, WallForecast
from metier.trials.flow.settings import FlowSettings


def result_of(settings: FlowSettings, finding: FlowFinding) -> FlowResult:
    """Return a finding in the units people see: flows in percent."""
    trial, followed, delivered = finding.trial, finding.response, finding.delivered
    first, targets = trial.sections[0], trial.targets_mm(settings.line_model)
    sure_from, sure_to = finding.sure_range or (None, None)
    under = finding.under if len(finding.under) > 1 else {}
    return FlowResult(
        wall_mm=first.wall.value,
        wall_u95_mm=first.wall.u95,
        target_mm=targets[0],
        targets_mm={model: _target_mm(settings, model) for model in LINE_MODELS},
        sections=tuple(
            SectionResult(
                section.walls, section.wall.value, section.wall.u95, section.wall.n, target_mm
            )
            for section, target_mm in zip(trial.sections, targets, strict=True)
        ),
        line_model=settings.line_model,
        flow_sliced_percent=settings.flow_percent,
        flow_now_percent=settings.set_percent,
        flow_new_percent=_percent(finding.flow_new),
        flow_new_u95_percent=_percent(finding.u95),
        interval_percent=tuple(100 * flow for flow in finding.interval),
        sure_percent=_percent(finding.sure),
        sure_from_percent=_percent(sure_from),
        sure_to_percent=_percent(sure_to),
        trials_pooled=finding.pooled,
        texture_mm=finding.texture_mm,
        response=followed and followed.ratio,
        response_u95=followed and followed.u95,
        flow_plain_percent=_percent(finding.flow_plain),
        flow_under_percent={
            model: _percent(under[model].flow_new) if model in under else None
            for model in LINE_MODELS
        },
        flow_to_type_percent=_percent(finding.flow_to_type, seen=True),
        influences_percent={name: 100 * u95 for name, u95 in by_name(finding.influences).items()},
        rough=finding.rough,
        delivered_share=delivered and delivered.share,
        delivered_share_u95=delivered and delivered.u95,
        forecasts=tuple(
            WallForecast(ahead.walls, ahead.wall_mm, ahead.u95_mm, ahead.came_so)
            for ahead in finding.forecasts
        ),
    )


def _target_mm(settings: FlowSettings, model: LineModel) -> float | None:
    if settings.width_mm is None:
        return None
    apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, model)
    return wall_mm(settings.sections[0].walls, apart_mm, settings.layer_mm)


def _percent(ratio: float | None, *, seen: bool = False) -> float | None:
    """Return a ratio in percent; one that is typed in without what binary fractions add."""
    if ratio is None:
        return None
    return VALUES["flow"].seen(ratio) if seen else 100 * ratio
