"""Draws the pictures of `docs/architecture.md`: rows of boxes, and arrows from each row to the next.

.venv/bin/python tools/diagrams.py
"""

from html import escape
from pathlib import Path

TARGET = Path(__file__).resolve().parents[1] / "docs" / "pictures"
WIDTH, GAP, PAD, HIGH, STEP = 960, 16, 24, 56, 34
INK, RULE, PAPER, TINT = "#2b2926", "#b9b2a6", "#fdfcfa", "#f3efe8"
Box = tuple[str, str]

HOUSE: list[list[Box]] = [
    [("browser", "static/js, templates: draws and asks"), ("terminal", "cli: one module a command")],
    [("web", "api · pages · sockets · guard"), ("bench", "figures")],
    [("app", "use cases and background work, free of HTTP: lens, intake, takes, cuts, deliveries, posts, schema")],
    [
        ("shoot", "frames · finish · farm · run"),
        ("gallery", "a portfolio service, played"),
        ("demo", "the made-up studio"),
    ],
    [("store", "SQLite, files by hash, history, library, archive, bin")],
    [("core", "commands · review · delivery  —  render · cut · stock · sequence  —  picture")],
    [("core", "framing · light  —  motion · material  —  geometry  —  scene")],
]
EDIT: list[list[Box]] = [
    [("fields.js, project.js", "a number is typed; one queue sends it")],
    [("web/api/projects", "the version is right?")],
    [("commands: perform, values", "typed change"), ("scene: property, writing", "range, unit, what it affects")],
    [("store: projects, patches", "a state more, with its label")],
    [("review: measures, stations", "everything measured again"), ("web/api: floor_state, floor_lens", "one answer")],
    [("app/lens", "the picture is asked for anew")],
    [
        ("motion/evaluate", "a moment"),
        ("light: kinds, rows", "nit in the light's row"),
        ("render/compile", "only what changed"),
    ],
    [("render/trace, film", "samples"), ("picture/view_transform", "what the display shows")],
]
TAKE: list[list[Box]] = [
    [("web/api/takes or cli/shoot", "Shoot")],
    [("app/takes", "slate, folder, queue")],
    [("shoot/run: watch, worker, take", "one process, one frame after the other"), ("shoot/farm", "or many machines")],
    [("shoot/frames: pipeline, files", "expose, clean, finish; files before records")],
    [("shoot/finish: masters", "grade, at any size"), ("app/cuts, core/cut", "clips, titles, sound")],
    [("shoot/finish/deliver", "preset, segments, resume")],
    [("core/delivery: encode, verify", "written, opened again, told")],
]
MODEL: list[list[Box]] = [
    [("web/uploads", "to disk as it arrives, with limits")],
    [("app/intakes", "a job")],
    [("app/confined", "a process with limits, without network"), ("app/intake_children", "in it")],
    [("geometry/read", "one format a module"), ("geometry: check, repair, measure", "sound, measured")],
    [("store/assets", "mesh, maps, stand-in by their hash")],
    [("commands/place_model", "centred, on the floor, set and light in its size")],
]


def boxes(row: list[Box], top: float) -> list[str]:
    """The boxes of a row as SVG."""
    wide = (WIDTH - 2 * PAD - GAP * (len(row) - 1)) / len(row)
    found = []
    for i, (title, says) in enumerate(row):
        x = PAD + i * (wide + GAP)
        found.append(
            f'<rect x="{x:.0f}" y="{top}" width="{wide:.0f}" height="{HIGH}" rx="6" fill="{TINT}" stroke="{RULE}"/>'
        )
        for text, y, style in ((title, 23, 'font-weight="600"'), (says, 42, f'fill="{INK}" fill-opacity="0.7"')):
            found.append(
                f'<text x="{x + wide / 2:.0f}" y="{top + y}" text-anchor="middle" {style}>{escape(text)}</text>'
            )
    return found


def arrow(top: float) -> str:
    """From a row to the next."""
    x, end = WIDTH / 2, top + STEP - 6
    return f'<path d="M{x} {top + 4}V{end}M{x - 5} {end - 6}L{x} {end}L{x + 5} {end - 6}" fill="none" stroke="{INK}"/>'


def drawing(rows: list[list[Box]], title: str) -> str:
    """A picture as SVG."""
    high = 2 * PAD + len(rows) * HIGH + (len(rows) - 1) * STEP
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {high}" width="{WIDTH}" height="{high}">',
        f"<title>{escape(title)}</title>",
        f'<rect width="{WIDTH}" height="{high}" fill="{PAPER}"/>',
        f'<g font-family="system-ui, sans-serif" font-size="13" fill="{INK}">',
    ]
    for i, row in enumerate(rows):
        top = PAD + i * (HIGH + STEP)
        parts += boxes(row, top)
        if i + 1 < len(rows):
            parts.append(arrow(top + HIGH))
    return "\n".join([*parts, "</g>", "</svg>", ""])


if __name__ == "__main__":
    TARGET.mkdir(parents=True, exist_ok=True)
    for name, rows, title in (
        ("house", HOUSE, "The rooms, each knowing only those below"),
        ("edit", EDIT, "A light's strength, from the field to the picture"),
        ("take", TAKE, "A take, from the call to a delivered file"),
        ("model", MODEL, "A model, from the file to the set"),
    ):
        (TARGET / f"{name}.svg").write_text(drawing(rows, title))
