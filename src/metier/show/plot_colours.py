"""The colours of every picture, and what a page calls each, which are others in the dark."""

INK, QUIET, TARGET, BAND = "#26323a", "#8a979f", "#b3541e", "#f3e3d7"
GRID, FOOT, FAILED = "#e3e7ea", "#eef1f3", "#7a1f1f"
# What belongs together, told apart by shape as well as by colour.
COLOURS = ("#3b6ea5", "#4f8a5b", "#8a5ba5", "#a58a3b", "#5b8a8a", "#a55b6e", "#6e6e6e", "#3b3ba5")

# As `page.css` has them.
AS_VARIABLES = {
    "#000000": "var(--ink)",
    "#ffffff": "var(--paper)",
    INK: "var(--ink)",
    QUIET: "var(--faint)",
    TARGET: "var(--target)",
    BAND: "var(--band)",
    GRID: "var(--grid)",
    FOOT: "var(--panel)",
    FAILED: "var(--doubtful)",
    **{colour: f"var(--c{number})" for number, colour in enumerate(COLOURS, 1)},
}
