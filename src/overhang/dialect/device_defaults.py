"""What a dialect sets on every device of its maker, whatever a configuration contains."""

from overhang.dialect.model import NEVER, Dialect
from overhang.dialect.template import fill, parse_filled
from overhang.language import Collector
from overhang.language.builder import Builder
from overhang.language.collector import make_statement
from overhang.language.ir import Program


def add_always(dialect: Dialect, builder: Builder) -> None:
    """Add the statements for every device, and the dialect's profile."""
    collected = Collector()
    if dialect.profile is not None:
        line = dialect.places["profile"]
        block = collected.begin(line, "device")
        collected.give(line, block, "profile", dialect.profile.name)
    line = dialect.places["always"]
    for template in dialect.always:
        for filled in fill(template, {}, {}):
            head, inner = parse_filled(filled)
            block = collected.block(line, head)
            if inner is not None:
                collected.add(line, block, inner)
    builder.add(collected.program)


def add_unknown(dialect: Dialect, builder: Builder) -> None:
    """Mark the fields that this dialect never exports as unknown, unless they are set."""
    collected = Collector()
    line = dialect.places["never-carries"]
    for name in dialect.never:
        block, field, captures = NEVER[name]
        if not builder.has(block, field):
            number = collected.begin(line, block)
            if number is not None:
                collected.add(line, number, make_statement(block, field, captures))
    if collected.program != Program.empty():
        builder.add(collected.program)
