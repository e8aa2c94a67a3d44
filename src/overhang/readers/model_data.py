"""What the readers of both encodings of instance data share: from a tree to a device."""

from overhang.models.reading import read_model
from overhang.models.tree import BadData, Node
from overhang.readers.assemble import UNSTATED, Line, Source, Unread, assemble, shown_lines
from overhang.sheet import Sheet, Unreadable

MODULES = (b"ietf-system", b"ietf-access-control-list", b"overhang-access")
HEAD = 65_536


def device_of(root: Node, text: str, file: str, reader: str) -> Sheet:
    """The device that a tree of instance data describes. Raises Unreadable."""
    try:
        model = read_model(root, spread=reader == "xml")
    except BadData as problem:
        raise Unreadable(located(problem)) from None
    lines = text.split("\n")
    said = [Line(*each) for each in model.said]
    profiles = {}
    if model.standard:
        said.insert(0, Line(1, "device:", f"profile {UNSTATED.name}"))
        profiles = {UNSTATED.name: UNSTATED}
    source = Source(file, lines, shown_lines(lines, model.secrets), reader)
    return assemble(source, said, [Unread(*each) for each in model.wrong], model.understood, profiles)


def located(problem: BadData) -> str:
    """A problem with its line."""
    return f"{problem}, on line {problem.line}" if problem.line else str(problem)
