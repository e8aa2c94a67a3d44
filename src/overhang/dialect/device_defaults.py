"""What a dialect says of every device of its maker, whatever a text says or leaves out."""

from overhang.dialect.model import NEVER, Dialect
from overhang.dialect.template import fill, parse_filled
from overhang.language.builder import Builder
from overhang.language.parser import Reading, Stated, parse_line
from overhang.language.unparser import word


def say_always(dialect: Dialect) -> Reading:
    """What the dialect says of each device, whatever its text says."""
    reading = Reading([], [], {}, [], [], 0)
    if dialect.profile is not None:
        line = dialect.places["profile"]
        head = parse_line("", "device:")
        reading.statements.append(Stated(line, -1, head))
        stated = parse_line("device", f"profile {word(dialect.profile.name)}")
        reading.statements.append(Stated(line, len(reading.statements) - 1, stated))
    for template in dialect.always:
        for filled in fill(template, {}, {}):
            head, inner = parse_filled(filled)
            reading.statements.append(Stated(dialect.places["always"], -1, head))
            if inner is not None:
                owner = len(reading.statements) - 1
                reading.statements.append(Stated(dialect.places["always"], owner, inner))
    return reading


def say_never(dialect: Dialect, builder: Builder) -> None:
    """Say that nobody can tell, of what such texts do not carry and this one has not said."""
    slots = {"host-keys": ("ssh", "host_keys"), "certificate": ("web", "certificate")}
    for name in dialect.never:
        block, slot = slots[name]
        state = builder.blocks.get((block, ()))
        if state is not None and slot in state.slots:
            continue
        head, inner = NEVER[name]
        line = dialect.places["never-carries"]
        parsed = parse_line("", head)
        statement = parse_line(parsed.statement.opens, inner)
        builder.say(Reading([Stated(line, -1, parsed), Stated(line, 0, statement)], [], {}, [], [], 0))
