"""Pictures of an audit, drawn by matplotlib: the exposure map, the checklist, the path of one login.

A colour never stands alone: each cell has its letter, each step its sentence.
"""

import functools
import io
import textwrap
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple, ParamSpec, TypeVar

from overhang.auditing.aspects import Aspect
from overhang.auditing.checklist import Mark
from overhang.auditing.report import AuditReport
from overhang.auditing.results import KNOWLEDGE, DeviceAudit, Exposure, LoginTrace
from overhang.model.vocabulary import way_label
from overhang.report.audit_summary import in_doubt
from overhang.report.lines import count, cut, safe

if TYPE_CHECKING:
    from matplotlib.figure import Figure

Given = ParamSpec("Given")
Shown = TypeVar("Shown")

#: Letters of the exposure map, worst first: what it means, its colour, and that of the letter on it. The colours are a
#: diverging scale that all kinds of colour vision tell apart.
_SHADES = {
    "N": ("#9b1c2e", "white"),
    "R": ("#e08162", "black"),
    "?": ("#e9d48a", "black"),
    "S": ("#f7d3bd", "black"),
    "A": ("#cfe3f0", "black"),
    "T": ("#5b9bc8", "black"),
}
LETTERS: dict[str, tuple[str, str, str]] = {letter: (KNOWLEDGE[letter], *shade) for letter, shade in _SHADES.items()}
#: How bad a letter is, and from where it is: the worst have least.
_BAD = {letter: place for place, letter in enumerate(KNOWLEDGE)}
_FROM = {"anywhere": 0, "limited": 1, "port": 2}
_COLUMNS = ("console", "auxiliary", "telnet", "http", "ssh", "https", "snmp")
_SHORT = {"console": "console", "auxiliary": "aux."}
_WIDTH, _HEIGHT, _DPI = 12.8, 8.0, 100
_ROWS = 32
_MOST_APART = 60
#: Headings of columns that are narrower than this, in inches, are turned.
_ROOM_FOR_HEADINGS = 0.62
INK, FAINT = "#222222", "#777777"


def new_figure(height: float = _HEIGHT) -> "Figure":
    from matplotlib.figure import Figure

    return Figure(figsize=(_WIDTH, height), dpi=_DPI, facecolor="white")


def plainly(draw: "Callable[Given, Figure]") -> "Callable[Given, Figure]":
    """Draw with every text as it is: a name with a dollar sign is no formula."""

    @functools.wraps(draw)
    def drawn(*arguments: "Given.args", **options: "Given.kwargs") -> "Figure":
        import matplotlib as mpl

        with mpl.rc_context({"text.parse_math": False}):
            return draw(*arguments, **options)

    return drawn


def written(figure: "Figure", kind: str) -> bytes:
    """A figure as the bytes of a PNG, SVG or PDF file; the same figure gives the same bytes."""
    import matplotlib as mpl

    out = io.BytesIO()
    metadata: dict[str, Any] = {
        "png": {"Software": None},
        "svg": {"Date": None, "Creator": None},
        "pdf": {"CreationDate": None, "Creator": None, "Producer": None},
    }[kind]
    with mpl.rc_context({"svg.hashsalt": "overhang", "svg.fonttype": "none"}):
        figure.savefig(out, format=kind, metadata=metadata)
    return out.getvalue()


# -- the exposure map --------------------------------------------------------------------------------------------------


def columns_of(report: AuditReport) -> list[str]:
    """The ways that any device can be entered by, the riskiest first; other doors are one column."""
    used = {_column(each.via) for audit in report.audits for each in audit.exposures}
    return [via for via in (*_COLUMNS, "door") if via in used]


def _column(via: str) -> str:
    return "door" if via.startswith("door:") else via


def column_label(via: str) -> str:
    """What heads a column."""
    return "doors" if via == "door" else _SHORT.get(via, way_label(via))


def cells_of(audit: DeviceAudit) -> dict[str, Exposure]:
    """The exposure of a device in each column; of several doors, the worst."""
    cells: dict[str, Exposure] = {}
    for each in audit.exposures:
        held = cells.get(_column(each.via))
        if held is None or (-each.level, badness(each)) < (-held.level, badness(held)):
            cells[_column(each.via)] = each
    return cells


def badness(exposure: Exposure) -> tuple[int, int]:
    """How little it takes to get in, and from where: the worst has least."""
    return _BAD[exposure.letter], _FROM[exposure.source]


def by_exposure(report: AuditReport) -> list[DeviceAudit]:
    """The devices, worst first: those whose highest level takes the least, and can be had from furthest away."""

    def rank(audit: DeviceAudit) -> tuple[object, ...]:
        ways = sorted((badness(each), -each.level) for each in audit.exposures if each.level == 15)
        lesser = sorted((badness(each), -each.level) for each in audit.exposures if each.level < 15)
        return (ways[0][0] if ways else (9, 9), ways, lesser, audit.name)

    return sorted(report.audits, key=rank)


class Row(NamedTuple):
    """A row of the map: a device, and how many others have the same cells."""

    audit: DeviceAudit
    alike: int = 0

    @property
    def label(self) -> str:
        """What it is called."""
        return f"{self.alike + 1} like {self.audit.name}" if self.alike else self.audit.name


def rows_of(report: AuditReport, most: int = _MOST_APART) -> list[Row]:
    """The rows of the map, worst first; where there are more than ``most``, devices with the same cells are one."""
    devices = by_exposure(report)
    if len(devices) <= most:
        return [Row(audit) for audit in devices]
    groups: dict[object, list[DeviceAudit]] = {}
    for audit in devices:
        cells = {via: (each.letter, each.level, each.source) for via, each in cells_of(audit).items()}
        groups.setdefault((tuple(sorted(cells.items())), "" if cells else nobody(audit)), []).append(audit)
    return [Row(several[0], len(several) - 1) for several in groups.values()]


@plainly
def exposure_map(report: AuditReport) -> "Figure":
    """Devices down, ways across; each cell the least knowledge that reaches the highest level there."""
    shown, columns = rows_of(report), columns_of(report)
    panels = _panels(shown)
    rows = max(len(panel) for panel in panels)
    figure = new_figure(max(_HEIGHT, 2.0 + rows * 0.19))
    height = figure.get_figheight()
    figure.text(0.02, 1 - 0.32 / height, "Least knowledge to get in", size=16, weight="bold", color=INK, va="center")
    about = (
        "each cell: the least knowledge that reaches the highest level by that way, and that level; pale: below 15; "
        "*: from anywhere"
    )
    figure.text(0.02, 1 - 0.66 / height, about, size=10.5, color=FAINT, va="center")
    size = min(0.5, (height - 2.6) / rows)
    for index, panel in enumerate(panels):
        left = 0.02 + index * 0.97 / len(panels)
        width = 0.96 / len(panels)
        area = figure.add_axes((left, 0.75 / height, width, (height - 1.75) / height))
        _panel(area, panel, columns, size, width * _WIDTH, height - 1.75)
    legend(
        figure,
        [(f"{letter}  {text}", colour, ink) for letter, (text, colour, ink) in LETTERS.items()],
        "blank: no way in",
    )
    return figure


def _panels(devices: Sequence[Shown]) -> list[list[Shown]]:
    """Rows in up to three panels side by side; a picture of more is taller."""
    number = min(3, -(-len(devices) // _ROWS)) or 1
    rows = -(-len(devices) // number) or 1
    return [list(devices[start : start + rows]) for start in range(0, len(devices), rows)] or [[]]


def _panel(area: Any, rows: Sequence[Row], columns: Sequence[str], size: float, width: float, height: float) -> None:
    """One panel in inches: names to the left, a row of cells for each device."""
    from matplotlib.patches import Rectangle

    area.set_xlim(0, width)
    area.set_ylim(height, 0)
    area.axis("off")
    cell = min(1.5, (width - 1.9) / max(1, len(columns)))
    start = min(2.3, width - cell * len(columns))
    letter = max(6.5, min(13, size * 44))
    turned = cell < _ROOM_FOR_HEADINGS
    head = 0.72 if turned else 0.32
    for at, via in enumerate(columns):
        style = {"va": "bottom", "rotation": 90} if turned else {"va": "center"}
        y = head - 0.06 if turned else 0.14
        area.text(start + (at + 0.5) * cell, y, column_label(via), ha="center", size=9.5, color=INK, **style)
    for row, (audit, _) in enumerate(rows):
        top = head + row * size
        _name(area, rows[row].label, start, top, size)
        cells = cells_of(audit)
        if not cells:
            centre = start + len(columns) * cell / 2
            area.text(
                centre,
                top + size / 2,
                nobody(audit),
                ha="center",
                va="center",
                size=letter * 0.8,
                color=FAINT,
                zorder=3,
            )
        for at, via in enumerate(columns):
            each = cells.get(via)
            _, colour, ink = LETTERS[each.letter] if each is not None else ("", "#f6f6f6", FAINT)
            box = (start + at * cell + 0.02, top + 0.015)
            pale = each is not None and each.level < 15
            shade, ink = (paled(colour), "black") if pale else (colour, ink)
            area.add_patch(Rectangle(box, cell - 0.04, size - 0.03, facecolor=shade, edgecolor="none"))
            if each is None:
                continue
            middle = start + (at + (0.42 if turned else 0.5)) * cell
            area.text(
                middle - 0.03,
                top + size / 2,
                each.letter,
                ha="right",
                va="center",
                size=letter,
                weight="bold",
                color=ink,
            )
            area.text(
                middle + 0.03,
                top + size / 2,
                f"{each.level}{'*' if each.source == 'anywhere' else ''}",
                ha="left",
                va="center",
                size=letter * 0.8,
                color=ink,
            )


def paled(colour: str) -> tuple[float, float, float]:
    """A colour mixed with white."""
    from matplotlib.colors import to_rgb

    red, green, blue = (0.45 * part + 0.55 for part in to_rgb(colour))
    return red, green, blue


def nobody(audit: DeviceAudit) -> str:
    """What is said of a device without cells: nobody gets in, or its access paths depend on unknown facts."""
    return "nobody gets in" if audit.decided else "can't tell"


def _name(area: Any, label: str, start: float, top: float, size: float) -> None:
    """The name of a device to the left of its row, cut to the room there."""
    points = min(10.5, size * 44)
    name = cut(label, int((start - 0.15) / (points * 0.0081)))
    style = {"ha": "right", "va": "center", "size": points, "color": INK}
    area.text(start - 0.1, top + size / 2, name, **style)


def legend(figure: "Figure", entries: Sequence[tuple[str, str, str]], more: str) -> None:
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    height = figure.get_figheight()
    renderer = FigureCanvasAgg(figure).get_renderer()  # type: ignore[no-untyped-call]
    at = 0.026
    for text, colour, ink in entries:
        box = {"facecolor": colour, "edgecolor": "none", "boxstyle": "square,pad=0.35"}
        drawn = figure.text(at, 0.32 / height, text, size=10, color=ink, va="center", bbox=box)
        at += (drawn.get_window_extent(renderer).width / _DPI + 0.28) / _WIDTH
    figure.text(at, 0.32 / height, more, size=10, color=FAINT, va="center")


# -- the checklist -----------------------------------------------------------------------------------------------------

MARK_COLOURS: dict[Mark, tuple[str, str]] = {
    Mark.OPEN: ("#9b1c2e", "white"),
    Mark.LOCKED_OUT: ("#57204f", "white"),
    Mark.WEAK: ("#e08162", "black"),
    Mark.CANNOT_TELL: ("#e9d48a", "black"),
    Mark.GOOD: ("#cfe3f0", "black"),
    Mark.NOT_THERE: ("#f6f6f6", FAINT),
}


def _counted(report: AuditReport) -> str:
    maybe, doubted = sum(report.possible_counts.values()), sum(map(in_doubt, report.audits))
    found = count(sum(report.counts.values()), "finding") + (f" and {maybe} possible" if maybe else "")
    parts = [f"{found} on {count(len(report.audits), 'device')}, the worst first"]
    parts += [f"{count(doubted, 'device')} not fully judged"] if doubted else []
    parts += [f"{count(len(report.unreadable), 'file')} unreadable"] if report.unreadable else []
    return "; ".join(parts)


@plainly
def checklist_chart(report: AuditReport) -> "Figure":
    """Devices down, worst first, aspects across; each cell the mark."""
    panels = _panels(report.audits)
    rows = max(len(panel) for panel in panels)
    figure = new_figure(max(_HEIGHT, 2.0 + rows * 0.19))
    height = figure.get_figheight()
    figure.text(
        0.02, 1 - 0.32 / height, "Checklist of management access", size=16, weight="bold", color=INK, va="center"
    )
    figure.text(0.02, 1 - 0.66 / height, _counted(report), size=10.5, color=FAINT, va="center")
    size = min(0.5, (height - 2.1) / rows)
    for index, panel in enumerate(panels):
        width = 0.96 / len(panels)
        area = figure.add_axes((0.02 + index * 0.97 / len(panels), 0.75 / height, width, (height - 1.75) / height))
        _marks(area, panel, size, width * _WIDTH, height - 1.75)
    legend(figure, [(f"{mark.value}  {mark.word}", *colours) for mark, colours in MARK_COLOURS.items()], "")
    return figure


def _marks(area: Any, devices: Sequence[DeviceAudit], size: float, width: float, height: float) -> None:
    from matplotlib.patches import Rectangle

    area.set_xlim(0, width)
    area.set_ylim(height, 0)
    area.axis("off")
    start = min(2.3, width * 0.35)
    cell = min(1.02, (width - start - 0.05) / len(Aspect))
    wide = cell > 0.7
    for at, aspect in enumerate(Aspect):
        label = textwrap.fill(aspect.title, 10, break_long_words=False) if wide else aspect.short
        area.text(start + (at + 0.5) * cell, 0.08, label, ha="center", va="center", size=8.5 if wide else 6, color=INK)
    letter = max(6.5, min(13, size * 40))
    for row, audit in enumerate(devices):
        top = 0.36 + row * size
        _name(area, audit.name, start, top, size)
        for at, item in enumerate(audit.checklist):
            colour, ink = MARK_COLOURS[item.mark]
            box = (start + at * cell + 0.02, top + 0.015)
            area.add_patch(Rectangle(box, cell - 0.04, size - 0.03, facecolor=colour, edgecolor="none"))
            middle = (start + (at + 0.5) * cell, top + size / 2)
            area.text(*middle, item.mark.value, ha="center", va="center", size=letter, weight="bold", color=ink)


# -- the path of one login ---------------------------------------------------------------------------------------------

_STAGES = {"reachability": "#5b9bc8", "authentication": "#e08162", "authorization": "#7a7a7a", "elevation": "#75558c"}
_ENDS = {"admitted": "#1f6391", "unknown": "#75558c"}


@plainly
def login_path(path: LoginTrace) -> "Figure":
    """The steps of one login from the top down, each with its origin, and the outcome."""
    from matplotlib.patches import Rectangle

    path_steps = path.steps
    lines = [textwrap.wrap(safe(gate.reason), 92) or [""] for gate in path_steps]
    steps = [0.3 + 0.2 * len(each) for each in lines]
    figure = new_figure(max(_HEIGHT if len(path_steps) > 9 else 5.0, 2.6 + sum(steps)))
    height = figure.get_figheight()
    area = figure.add_axes((0, 0, 1, 1))
    area.set_xlim(0, _WIDTH)
    area.set_ylim(height, 0)
    area.axis("off")
    area.text(0.3, 0.36, f"One login at {cut(path.device, 40)}", size=16, weight="bold", color=INK, va="center")
    area.text(0.3, 0.7, cut(path.caption, 120), size=10.5, color=FAINT, va="center")
    y = 1.25
    stage = ""
    area.plot([2.0, 2.0], [y, y + sum(steps) + 0.1], color="#cccccc", linewidth=2.5, zorder=1)
    for gate, words, step in zip(path_steps, lines, steps, strict=True):
        colour = _STAGES.get(gate.stage, FAINT)
        if gate.stage != stage:
            stage = gate.stage
            area.text(1.75, y, stage, ha="right", va="center", size=11, weight="bold", color=colour)
        stopped = gate is path_steps[-1] and path.outcome != "admitted"
        marker, colour = ("X", "#9b1c2e") if stopped else ("o", colour)
        area.plot([2.0], [y], marker=marker, markersize=11 if stopped else 9, color=colour, zorder=2)
        for at, line in enumerate(words):
            area.text(2.25, y + at * 0.2, line, size=10.5, va="center", color=INK)
        area.text(
            _WIDTH - 0.3,
            y,
            cut(gate.because.replace(chr(92), "/").rsplit("/", 1)[-1], 46),
            size=9,
            ha="right",
            va="center",
            color=FAINT,
        )
        y += step
    end = {
        "admitted": f"admitted, at level {path.level}" if path.level is not None else "admitted, at an unknown level"
    }
    ending = end.get(path.outcome, "can't tell" if path.outcome == "unknown" else path.outcome)
    colour = _ENDS.get(path.outcome, "#4a4f55")
    area.add_patch(Rectangle((1.75, y - 0.05), 4.2, 0.5, facecolor=colour, edgecolor="none", zorder=2))
    area.text(3.85, y + 0.2, ending, size=13, weight="bold", color="white", ha="center", va="center", zorder=3)
    return figure
