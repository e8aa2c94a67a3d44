"""A picture of how far something goes: devices in columns by hop, arrows for what each hop needs.

A colour never stands alone: every device that is reached carries its level as a number.
"""

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from overhang.report.charts import FAINT, INK, new_figure, plainly
from overhang.report.lines import count, cut, safe
from overhang.report.spread_text import verdict
from overhang.spread.reach import START
from overhang.spread.report import SpreadReport

if TYPE_CHECKING:
    from matplotlib.figure import Figure

#: Colours by the level reached: from which level on, the colour, and that of the text on it.
SHADES = (
    (15, "15", "#9b1c2e", "white"),
    (8, "8 to 14", "#e08162", "black"),
    (2, "2 to 7", "#f7d3bd", "black"),
    (0, "0 and 1", "#cfe3f0", "black"),
)
_NOWHERE = "#eeeeee"
_ROWS = 30
_MOST = 400


@plainly
def spread_graph(report: SpreadReport) -> "Figure":
    """The network as a graph: the start on the left, a column or several for each hop, what is not reached last.

    Raises ImportError where networkx is missing.
    """
    import networkx as nx

    columns = _columns(report)
    graph = nx.DiGraph()
    for column in columns:
        graph.add_nodes_from(column)
    edges = [(one, other, dashed) for one, other, dashed in _edges(report) if one in graph and other in graph]
    graph.add_edges_from((one, other) for one, other, _ in edges)
    places = nx.multipartite_layout(graph, subset_key=dict(enumerate(columns)))
    figure = new_figure()
    area = figure.add_axes((0.01, 0.07, 0.98, 0.80))
    area.axis("off")
    rows = max(len(column) for column in columns)
    at = _scaled(columns, places, rows)
    wide = 0.6 if len(columns) < 7 else 0.74
    area.set_xlim(-0.04, len(columns) - 1 + wide + 0.04)
    area.set_ylim(max(rows, 12) - 0.4, -0.6)
    room = 1255 * wide / (len(columns) - 1 + wide) * 0.92  # pixels of a box; a letter takes 0.84 of its size in points
    longest = max(len(safe(report.name(device))) for column in columns for device in column if device != START) + 4
    size = max(5.5, min(9.5, 330 / max(rows, 12), room / (0.84 * longest)))
    for one, other, dashed in edges:
        _arrow(area, at[one], at[other], wide, dashed=dashed, many=len(edges) > 60)
    letters = int(room / (0.84 * size))
    _heads(area, report, columns, size)
    for column in columns:
        for device in column:
            _box(area, report, device, at[device], wide, size, letters)
    _words(figure, report)
    return figure


def _heads(area: Any, report: SpreadReport, columns: Sequence[Sequence[int]], size: float) -> None:
    """What each column is, above its first."""
    last = ""
    for number, column in enumerate(columns):
        best = report.reach.best.get(column[0])
        head = "" if column[0] == START else f"hop {best.round}" if best is not None else "not reached"
        if head != last:
            area.text(number, -0.75, head, fontsize=max(size, 7), color=FAINT, va="bottom")
        last = head


def _scaled(columns: Sequence[Sequence[int]], places: dict[int, Any], rows: int) -> dict[int, tuple[float, float]]:
    """Where each device's box begins: columns a unit apart, rows a unit apart, each column in the middle."""
    lefts = [float(places[column[0]][0]) for column in columns]
    step = (lefts[-1] - lefts[0]) / (len(lefts) - 1)
    heights = sorted({float(place[1]) for place in places.values()})
    unit = (heights[-1] - heights[0]) / (rows - 1) if rows > 1 else 1.0
    middle, centre = (heights[0] + heights[-1]) / 2, (max(rows, 12) - 1) / 2
    return {
        device: ((float(x) - lefts[0]) / step, centre + (float(y) - middle) / unit) for device, (x, y) in places.items()
    }


def _columns(report: SpreadReport) -> list[list[int]]:
    """The devices by the hop at which their highest level is reached, a long hop in several columns; each device near
    those that it is reached from."""
    rounds: dict[int, list[int]] = {}
    for each in sorted(report.reach.best.values(), key=lambda arrival: (arrival.round, -arrival.level)):
        rounds.setdefault(each.round, []).append(each.device)
    columns: list[list[int]] = [[START]]
    height: dict[int, float] = {START: 0.5}
    sources: dict[int, list[int]] = {}
    for one, other, _ in _edges(report):
        sources.setdefault(other, []).append(one)

    def near(device: int) -> float:
        known = [height[each] for each in sources.get(device, ()) if each in height]
        return sum(known) / len(known) if known else 0.5

    for _, devices in sorted(rounds.items()):
        placed = sorted(devices, key=near)
        for number, device in enumerate(placed):
            height[device] = (number + 0.5) / len(placed)
        columns += [placed[start : start + _ROWS] for start in range(0, len(placed), _ROWS)]
    left = [device for device in range(len(report.world.devices)) if device not in report.reach.best]
    room = max(0, _MOST - len(report.reach.best))
    columns += [left[:room][start : start + _ROWS] for start in range(0, len(left[:room]), _ROWS)]
    return columns if len(columns) > 1 else [*columns, left[:_ROWS] or [START]]


def _edges(report: SpreadReport) -> Iterator[tuple[int, int, bool]]:
    """What each device's highest level hangs on: from where, and dashed, where a secret was read."""
    for each in report.reach.best.values():
        read = {device for _, device in each.learnt if device != START}
        if each.hop.origin != START or not read:
            yield each.hop.origin, each.device, False
        for device in sorted(read - {each.hop.origin, each.device}):
            yield device, each.device, True


def _arrow(
    area: Any, one: tuple[float, float], other: tuple[float, float], wide: float, *, dashed: bool, many: bool
) -> None:
    forward = other[0] > one[0]
    begin = (one[0] + (wide if forward else wide / 2), one[1])
    end = (other[0] if forward else other[0] + wide, other[1])
    style = {
        "arrowstyle": "-|>",
        "color": INK,
        "alpha": 0.45 if many else 0.85,
        "linewidth": 0.6 if many else 1.0,
        "linestyle": (0, (4, 3)) if dashed else "solid",
        "mutation_scale": 7 if many else 11,
        "shrinkA": 0,
        "shrinkB": 1,
        "connectionstyle": "arc3,rad=0.3"
        if not forward
        else "arc3,rad=-0.3"
        if other[0] - one[0] > 1.5 and not many
        else "arc3,rad=0",
    }
    area.annotate("", xy=end, xytext=begin, arrowprops=style, zorder=1, annotation_clip=False)


def _box(
    area: Any, report: SpreadReport, device: int, at: tuple[float, float], wide: float, size: float, letters: int
) -> None:
    from matplotlib.patches import Rectangle

    best = report.reach.best.get(device)
    fill, ink, text = _NOWHERE, INK, "start"
    if best is not None:
        _, _, fill, ink = next(shade for shade in SHADES if best.level >= shade[0])
        text = f"{best.level:>2}  {safe(report.name(device))}"
    elif device != START:
        ink, text = "#555555", f" –  {safe(report.name(device))}"
    shown = Rectangle((at[0], at[1] - 0.38), wide, 0.76, facecolor=fill, edgecolor=FAINT, linewidth=0.5, zorder=2)
    area.add_patch(shown)
    again = device in report.reach.start.at
    weight = "bold" if device == START or again else "normal"
    area.text(
        at[0] + 0.03 * wide, at[1], cut(text, letters), fontsize=size, va="center", color=ink, zorder=3, weight=weight
    )


def _words(figure: "Figure", report: SpreadReport) -> None:
    """The verdict above, what colours and arrows mean below."""
    import textwrap

    from matplotlib.patches import Rectangle

    text = textwrap.fill(safe(verdict(report)), 118, max_lines=2, placeholder=" ...")
    figure.text(0.012, 0.975, text, fontsize=12.5, weight="bold", va="top", color=INK)
    left = 0.012
    for _, levels, fill, _ in SHADES:
        figure.add_artist(Rectangle((left, 0.028), 0.016, 0.02, facecolor=fill, edgecolor=FAINT, linewidth=0.5))
        figure.text(left + 0.02, 0.038, f"level {levels}", fontsize=9, va="center", color=INK)
        left += 0.058 + 0.0065 * len(levels)
    figure.add_artist(Rectangle((left, 0.028), 0.016, 0.02, facecolor=_NOWHERE, edgecolor=FAINT, linewidth=0.5))
    figure.text(left + 0.02, 0.038, "not reached", fontsize=9, va="center", color=INK)
    more = len(report.world.devices) - len(report.reach.best) - max(0, _MOST - len(report.reach.best))
    words = "columns are hops; an arrow comes from where one logs in, a dashed one from where a secret is read"
    if more > 0:
        words += f"; {count(more, 'device')} more not reached"
    figure.text(0.988, 0.038, words, fontsize=9, va="center", ha="right", color=INK)
