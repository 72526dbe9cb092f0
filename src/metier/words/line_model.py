"""The question of the line model: how far apart lines lie in the slicer's preview."""

from metier.core.line.bead import LINE_MODELS, LineModel, spacing_mm
from metier.words.question import Choice, choose


def ask_line_model(width_mm: float, layer_mm: float) -> LineModel | None:
    """Ask which line model a slicer has; None where that cannot be told.

    Raises:
        Refusal: a line that cannot be printed; in a pipe, an answer that is none.
    """
    apart = {model: spacing_mm(width_mm, layer_mm, model) for model in LINE_MODELS}
    found = choose(
        f"How far apart does the slicer's preview lay two lines of {width_mm:g} x {layer_mm:g} mm "
        "that touch? That tells how it doses them, once and for all.",
        [Choice(model, f"{apart_mm:.3f} mm  ({model})") for model, apart_mm in apart.items()],
    )
    return next((model for model in LINE_MODELS if model == found), None)
