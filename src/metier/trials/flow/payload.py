"""A finding about flow as JSON and the logbook have it."""

from metier.core.flow.verdict import FlowFinding
from metier.core.line.bead import LINE_MODELS, LineModel, spacing_mm, wall_mm
from metier.core.values import VALUES
from metier.trials.flow.settings import FlowSettings


def payload_of(settings: FlowSettings, finding: FlowFinding) -> dict[str, object]:
    """Return a finding without verdict and notes; flows in percent."""
    trial = finding.trial
    first = trial.sections[0]
    targets = trial.targets_mm(settings.line_model)
    sure_from, sure_to = finding.sure_range or (None, None)
    followed = finding.response
    return {
        "wall_mm": first.wall.value,
        "wall_u95_mm": first.wall.u95,
        "target_mm": targets[0],
        "targets_mm": {model: _target_mm(settings, model) for model in LINE_MODELS},
        "sections": [
            {
                "walls": section.walls,
                "wall_mm": section.wall.value,
                "wall_u95_mm": section.wall.u95,
                "readings": section.wall.n,
                "target_mm": target,
            }
            for section, target in zip(trial.sections, targets, strict=True)
        ],
        "line_model": settings.line_model,
        "flow_sliced_percent": settings.flow_percent,
        "flow_now_percent": settings.set_percent,
        "flow_new_percent": _percent(finding.flow_new),
        "flow_new_u95_percent": _percent(finding.u95),
        "interval_percent": [100 * flow for flow in finding.interval],
        "sure_percent": _percent(finding.sure),
        "sure_from_percent": _percent(sure_from),
        "sure_to_percent": _percent(sure_to),
        "trials_pooled": finding.pooled,
        "texture_mm": finding.texture_mm,
        "response": followed and followed.ratio,
        "response_u95": followed and followed.u95,
        "flow_plain_percent": _percent(finding.flow_plain),
        "flow_under_percent": {
            model: _percent(finding.under[model].flow_new)
            if model in finding.under and len(finding.under) > 1
            else None
            for model in LINE_MODELS
        },
        "flow_to_type_percent": _seen(finding.flow_to_type),
        "influences_percent": {one.name: 100 * one.u95 for one in finding.influences},
        "rough": finding.rough,
        "delivered_share": finding.delivered and finding.delivered.share,
        "delivered_share_u95": finding.delivered and finding.delivered.u95,
        "forecasts": [
            {
                "walls": one.walls,
                "wall_mm": one.wall_mm,
                "wall_u95_mm": one.u95_mm,
                "came_so": one.came_so,
            }
            for one in finding.forecasts
        ],
    }


def _target_mm(settings: FlowSettings, model: LineModel) -> float | None:
    if settings.width_mm is None:
        return None
    apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, model)
    return wall_mm(settings.sections[0].walls, apart_mm, settings.layer_mm)


def _percent(ratio: float | None) -> float | None:
    return None if ratio is None else 100 * ratio


def _seen(flow: float | None) -> float | None:
    return None if flow is None else VALUES["flow"].seen(flow)
