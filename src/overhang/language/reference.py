"""The reference of the statements, as Markdown, made from the table: docs/sheet.md holds it, and a test compares."""

from overhang.language.schema import TABLE, block_name
from overhang.language.terminals import KINDS


def reference_tables() -> str:
    """A table for the top of a sheet and for each kind of block, and one for the kinds of word."""
    parts = []
    for block, rows in TABLE.items():
        if not rows:
            continue
        name = block_name(block)
        parts.append(
            f"### {'At ' if not block else 'In '}{name}\n\n| statement | what it says | said again |\n|---|---|---|"
        )
        for row in rows:
            statement = row.statement
            syntax = statement.syntax.replace("|", "\\|") + (":" if statement.opens else "")
            again = "adds" if statement.adds else "merges" if statement.opens else "replaces"
            if statement.opens == "banner":
                again = "replaces"
            parts[-1] += f"\n| `{syntax}` | {statement.about} | {again} |"
    kinds = "\n".join(f"| {name} | {about} |" for name, (_, about) in KINDS.items())
    parts.append(
        f"### The kinds of word\n\n| kind | what it is |\n|---|---|\n{kinds}\n| FORM | a password form, see above |"
    )
    return "\n\n".join(parts) + "\n"
