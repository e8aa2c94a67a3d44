"""The exposure of each device over time, drawn by matplotlib: a row for each device, a column for each commit."""

from typing import TYPE_CHECKING, Any

from overhang.auditing.results import Exposure
from overhang.changes.history import History, rank_of
from overhang.report.charts import FAINT, INK, LETTERS, legend, new_figure, paled, plainly
from overhang.report.lines import count, cut

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_MOST_ROWS, _MOST_COLUMNS = 40, 60
#: Up to so many devices leave room for the notes of the commits.
_FEW = 16
#: Of a device that nobody surely gets into.
_NOBODY = "#eef0f2"


@plainly
def history_chart(history: History) -> "Figure":
    """The picture: oldest commit at the left. Of many commits or devices, the newest and the worst are drawn."""
    moments = list(reversed(history.moments))[-_MOST_COLUMNS:]
    worst: dict[str, tuple[int, int]] = {}
    names: dict[str, str] = {}
    for moment in moments:
        for file, (name, exposure) in moment.exposures.items():
            rank = rank_of(exposure) if exposure is not None else (9, 0)
            worst[file] = min(rank, worst.get(file, (9, 9)))
            names[file] = name
    files = sorted(worst, key=lambda file: (worst[file], names[file]))
    left_out = len(files) - _MOST_ROWS
    files = files[:_MOST_ROWS]
    figure = new_figure()
    figure.text(0.03, 0.955, "Least knowledge that gets in, by commit", size=17, color=INK, weight="bold", va="center")
    text = f"{count(len(history.moments), 'commit')}, {count(len(names), 'device')}"
    if left_out > 0 or len(history.moments) > len(moments):
        text += f"; drawn are the newest {len(moments)} and the worst {len(files)}"
    figure.text(0.03, 0.915, text, size=10.5, color=FAINT, va="center")
    few = len(files) <= _FEW
    height = min(0.06 * max(len(files), 1), 0.46 if few else 0.63)
    area = figure.add_axes((0.16, 0.87 - height, 0.81, height))
    area.set_xlim(0, max(len(moments), 1))
    area.set_ylim(max(len(files), 1), 0)
    area.axis("off")
    size = min(11.0, 72 * 8 * height / max(len(files), 1) * 0.55, 560 / max(len(moments), 12))
    for row, file in enumerate(files):
        area.text(-0.15, row + 0.5, cut(names[file], 22), ha="right", va="center", size=min(11, size + 1), color=INK)
        for column, moment in enumerate(moments):
            if file in moment.exposures:
                _cell(area, row, column, moment.exposures[file][1], size)
    for column, moment in enumerate(moments):
        commit = moment.commit
        label = f"{cut(commit.note, 32)}  {commit.when:%Y-%m-%d}" if few else f"{commit.when:%Y-%m-%d}"
        place: dict[str, Any] = {"rotation": 50, "ha": "right", "va": "top", "size": min(8.5, size), "color": INK}
        area.text(column + 0.5, len(files) + 0.15, label, **place)
    entries = [(f"{letter}  {meaning}", colour, ink) for letter, (meaning, colour, ink) in LETTERS.items()]
    legend(figure, entries, "pale: below level 15")
    return figure


def _cell(area: Any, row: int, column: int, exposure: Exposure | None, size: float) -> None:
    from matplotlib.patches import Rectangle

    colour: Any = _NOBODY
    ink, text = FAINT, "-"
    if exposure is not None:
        _, full, ink = LETTERS[exposure.letter]
        colour = full if exposure.level == 15 else paled(full)
        ink = ink if exposure.level == 15 else "black"
        text = f"{exposure.letter} {exposure.level}"
    area.add_patch(Rectangle((column + 0.03, row + 0.06), 0.94, 0.88, facecolor=colour))
    area.text(column + 0.5, row + 0.5, text, ha="center", va="center", size=size, color=ink)
