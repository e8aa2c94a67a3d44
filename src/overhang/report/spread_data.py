"""How far what somebody has goes, for programs: JSON, CSV, Markdown. docs/spread.md describes the fields."""

import csv
import datetime
import io
from collections.abc import Sequence
from typing import Any

from overhang.report.audit_tables import cell_text
from overhang.report.audit_tables import md as markdown_safe
from overhang.report.spread_text import not_followed, verdict
from overhang.spread.cut import Cut
from overhang.spread.ranking import RankedSecret
from overhang.spread.reach import START, Arrival
from overhang.spread.report import SpreadReport, chain_to, fix_statements, fix_words, lines_allowing, order_of_change
from overhang.spread.start import people_knowing
from overhang.spread.world import World
from overhang.text.json_text import json_text
from overhang.text.printable import Printable

SCHEMA = 1
COLUMNS = ("hop", "device", "file", "level", "via", "origin", "source", "needs", "learnt")


def spread_json(report: SpreadReport) -> Printable:
    """The whole spread as JSON."""
    reach = report.reach
    return json_text(
        {
            "schema": SCHEMA,
            "verdict": verdict(report),
            "start": {
                "label": reach.start.label,
                "where": reach.start.where,
                "secrets": [_secret(report.world, each) for each in sorted(reach.start.secrets)],
                "devices": sorted(report.name(each) for each in reach.start.at),
            },
            "devices": len(report.world.devices),
            "direct": len(report.direct),
            "reached": [_arrival(report, each) for each in report.gains],
            "chains": {
                report.name(each.device): [report.name(hop.device) for hop in chain_to(report, each.device)]
                for each in report.gains
            },
            "cuts": [_cut(report, each) for each in report.cuts],
            "not_examined": _not_examined(report.world, report.reach.start.untried),
        }
    )


def chain_json(report: SpreadReport, device: int, moment: datetime.datetime) -> Printable:
    """The hops to one device, each with the lines that allow it."""
    hops = [
        {
            **_arrival(report, each),
            "lines": [{"file": origin.file, "line": origin.line} for origin in lines_allowing(report, each, moment)],
        }
        for each in chain_to(report, device)
    ]
    return json_text({"schema": SCHEMA, "device": report.name(device), "chain": hops})


def _secret(world: World, number: int) -> dict[str, Any]:
    """A secret: its number in this run, which is its class, and its locks."""
    locks = world.secrets.secrets[number].locks
    return {
        "class": number,
        "locks": [{"device": world.names[lock.device], "item": lock.item, "readable": lock.readable} for lock in locks],
    }


def _arrival(report: SpreadReport, each: Arrival) -> dict[str, Any]:
    hop = each.hop
    return {
        "hop": each.round,
        "device": report.name(each.device),
        "file": report.world.devices[each.device].part.file,
        "level": each.level,
        "after_login": hop.passage.path.after_login,
        "via": hop.passage.path.via,
        "origin": None if hop.origin == START else report.name(hop.origin),
        "source": None if hop.source is None else str(hop.source),
        "needs": [
            {
                **_secret(report.world, secret),
                "read_on": None if device == START else report.name(device),
            }
            for secret, device in each.learnt
        ],
    }


def _cut(report: SpreadReport, found: Cut) -> dict[str, Any]:
    return {
        "level": found.level,
        "exact": found.exact,
        "at_least": found.least,
        "still_reached": found.left,
        "changes": [
            {
                "kind": fix.kind,
                "say": fix_words(report, fix),
                "device": report.name(fix.device) if fix.device >= 0 else None,
                "via": fix.via or None,
                "secret": fix.secret if fix.secret >= 0 else None,
                "statements": dict(fix_statements(report, fix)),
            }
            for fix in found.fixes
        ],
    }


def _not_examined(world: World, typed: int) -> dict[str, Any]:
    index = world.secrets
    return {
        "paths": sum(place.part.unsure for place in world.devices),
        "pairs": index.untried,
        "hashes": dict(sorted(index.kinds.items())),
        "typed": typed,
        "devices": [place.name for place in world.devices if not place.part.complete],
    }


def spread_rows(report: SpreadReport) -> list[tuple[str, ...]]:
    """What is reached as rows, after COLUMNS."""
    rows = []
    for each in report.gains:
        value = _arrival(report, each)
        needs = " and ".join(report.secret(secret) for secret, _ in each.learnt)
        learnt = " and ".join(sorted({report.name(device) for _, device in each.learnt if device != START}))
        cells = (value["hop"], value["device"], value["file"], value["level"], value["via"])
        rows.append(tuple(map(str, (*cells, value["origin"] or "", value["source"] or "", needs, learnt))))
    return rows


def spread_csv(report: SpreadReport) -> Printable:
    """What is reached as CSV (RFC 4180)."""
    out = io.StringIO()
    write = csv.writer(out, lineterminator="\r\n")
    write.writerow(COLUMNS)
    for row in spread_rows(report):
        write.writerow(map(cell_text, row))
    return Printable(out.getvalue())


def spread_markdown(report: SpreadReport) -> Printable:
    """What is reached as a page of Markdown."""
    lines = ["# How far it goes", "", f"**{markdown_safe(verdict(report))}.**", ""]
    left = not_followed(report.world, report.reach.start.untried)
    lines += [f"{markdown_safe(left)}.", ""] if left else []
    lines += [f"| {' | '.join(COLUMNS)} |", "|" + "---|" * len(COLUMNS)]
    lines += [f"| {' | '.join(map(markdown_safe, row))} |" for row in spread_rows(report)]
    for found in report.cuts:
        what = "level 15" if found.level == 15 else "anything"
        lines += ["", f"## To stop {what} beyond the start", ""]
        lines += [f"- {markdown_safe(fix_words(report, fix))}" for fix in found.fixes]
    return Printable("\n".join(lines) + "\n")


def ranking_json(world: World, ranked: Sequence[RankedSecret]) -> Printable:
    """Every secret that opens something, the gravest first."""
    people = people_knowing(world)
    return json_text(
        {
            "schema": SCHEMA,
            "secrets": [
                {
                    **_secret(world, each.secret),
                    "opens": each.opens,
                    "opens_15": each.opens_15,
                    "reaches": each.reaches,
                    "reaches_15": each.reaches_15,
                    "readable_on": each.readable,
                    "known_by": people.get(each.secret, []),
                    "only_way_to_15": alone,
                }
                for each, alone in order_of_change(world, ranked)
            ],
            "not_examined": _not_examined(world, 0),
        }
    )
