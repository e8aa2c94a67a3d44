"""The reference of the statements, as Markdown, made from the schema: docs/sheet.md holds it, and a test compares."""

from overhang.language.schema import SCHEMA
from overhang.language.spec import Schema
from overhang.language.terminals import TERMINALS


def reference_tables(schema: Schema = SCHEMA) -> str:
    """A table for the top of a sheet and for each kind of block, and one for the kinds of word."""
    parts = []
    for block, rows in schema.table.items():
        if not rows:
            continue
        heading = f"### {'At' if not block else 'In'} {schema.title(block)}"
        lines = [heading, "", "| statement | what it means | given again |", "|---|---|---|"]
        for row in rows:
            spec = row.spec
            syntax = spec.shown.replace("|", "\\|") + (":" if spec.opens else "")
            again = "replaces" if spec.opens == "banner" else spec.repeat.value
            lines.append(f"| `{syntax}` | {spec.doc} | {again} |")
        parts.append("\n".join(lines))
    words = "\n".join(f"| {each.name} | {each.doc} |" for each in TERMINALS.values())
    heading = "### The kinds of word\n\n| kind | what it is |\n|---|---|"
    parts.append(f"{heading}\n{words}\n| FORM | a password form, see above |")
    return "\n\n".join(parts) + "\n"
