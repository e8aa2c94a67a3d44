"""Instance data as a tree in which every node knows its line, whichever of the two encodings it came in."""

from collections.abc import Iterator

#: Data deeper or larger than this is no configuration of a device.
DEEPEST = 100
MOST_NODES = 500_000


class BadData(Exception):
    """Data that cannot be read at all; ``line`` says where, 0 where that is not known."""

    def __init__(self, message: str, line: int = 0) -> None:
        super().__init__(message)
        self.line = line


#: Where a node stands that stands nowhere.
NOWHERE = (-1, -1)


class Node:
    """One node: its name, the module that it is of, its line, and its text (None for one that holds others).

    ``begins`` and ``ends`` tell where it stands in the file, as its encoding counts. ``secret``: its text is one.
    """

    __slots__ = ("begins", "children", "ends", "line", "module", "name", "passed", "secret", "seen", "text")

    def __init__(self, name: str, module: str, line: int, text: str | None = None) -> None:
        self.name, self.module, self.line, self.text = name, module, line, text
        self.children: list[Node] = []
        self.seen = self.passed = self.secret = False
        self.begins = self.ends = NOWHERE

    def one(self, name: str, module: str | None = None) -> "Node | None":
        """The child of a name, the first where there are several; it then counts as read."""
        return next(self.all(name, module), None)

    def all(self, name: str, module: str | None = None) -> "Iterator[Node]":
        """The children of a name, as they come; they then count as read."""
        for child in self.children:
            if child.name == name and (child.module == (self.module if module is None else module)):
                child.seen = True
                yield child

    def value(self, name: str, module: str | None = None) -> str | None:
        """The text of a leaf; None where it is not there."""
        found = self.one(name, module)
        return None if found is None else found.text or ""

    def pass_over(self) -> None:
        """Count everything below as read, knowingly."""
        stack = [self]
        while stack:
            node = stack.pop()
            node.seen = node.passed = True
            stack += node.children

    def unseen(self) -> "Iterator[Node]":
        """The outermost nodes below that nobody read."""
        stack = [self]
        while stack:
            node = stack.pop()
            for child in reversed(node.children):
                if child.seen:
                    stack.append(child)
                else:
                    yield child

    @property
    def known(self) -> bool:
        """Whether a reader asked for it; ``every`` has to go through the tree before."""
        return self.seen and not self.passed

    def every(self) -> "Iterator[Node]":
        """All nodes below; what nobody read, nobody has read a part of."""
        stack = [self]
        while stack:
            node = stack.pop()
            for child in node.children:
                child.seen = child.seen and (node.seen or node is self)
                stack.append(child)
                yield child

    def leaves(self) -> int:
        """How many leaves below were read."""
        count, stack = 0, [self]
        while stack:
            node = stack.pop()
            for child in node.children:
                if child.seen:
                    count += not child.children
                    stack.append(child)
        return count
