"""Running a step: a dialect's own code, which changes the tree of a text or says statements itself."""

import sys
from collections.abc import Callable, Iterator, Sequence
from types import CodeType
from typing import Any

from overhang.dialect.emitter import Emitter
from overhang.dialect.interpreter import StepResult
from overhang.dialect.tokenizer import Node as Source
from overhang.dialect.tokenizer import Text
from overhang.teach.device import Device, shown_words
from overhang.teach.tree import StepProblem, Tree, dissolve, flattened, lost, origins
from overhang.text import UnreadableInput

ENTRY = "read"
_LEFT_OUT = "the step left it out: it is neither in the tree, nor said, taken, dropped or doubted"


class Step:
    """A step that may run. Raises UnreadableInput where it is no Python, or has no function ``read``."""

    def __init__(self, data: bytes, file: str) -> None:
        self.file, self.source = file, data
        space: dict[str, Any] = {"__name__": "overhang_step", "__file__": file}
        code: CodeType = self._guarded(lambda: compile(data, file, "exec", dont_inherit=True))
        self._spelt = frozenset(_words(code))
        self._guarded(lambda: exec(code, space))
        self._read: Callable[[Tree, Device], object] | None = space.get(ENTRY)
        if not callable(self._read):
            raise UnreadableInput(f"the step {file} has no function {ENTRY}(tree, device)")

    def __call__(self, sources: Sequence[Source], text: Text, emitter: Emitter) -> StepResult:
        """What a step makes of the statements of a text. Raises UnreadableInput where it fails."""
        tree = Tree(sources, text.tail)
        try:
            return self._result(tree, sources, Device(emitter))
        finally:
            dissolve(tree)

    def _result(self, tree: Tree, sources: Sequence[Source], device: Device) -> StepResult:
        read = self._read
        result = self._guarded(lambda: read(tree, device) if read is not None else None)
        if result is not tree:
            raise UnreadableInput(f"the step {self.file}: {ENTRY} has to return the tree that it was given")
        nodes = self._guarded(lambda: flattened(tree))
        used = {id(each.source) for each in device.said} | {id(source) for source, _, _ in device.misread}
        doubts = [*tree.state.doubts, *device.misread]
        doubts += [(source, _LEFT_OUT, frozenset[str]()) for source in lost(tree, used, origins(tree))]
        gone = [(source, how) for source in sources if (how := tree.state.gone.get(id(source))) is not None]
        said = [(each.source, each.statement, *shown_words(each)) for each in device.said]
        return StepResult(nodes, said, doubts, gone, self._spelt)

    def _guarded(self, work: Callable[[], Any]) -> Any:
        """Do something; whatever goes wrong is one line that names the line of the step, and no value."""
        try:
            return work()
        except StepProblem as problem:
            raise UnreadableInput(f"the step {self._place()}: {problem}") from None
        except SyntaxError as error:
            raise UnreadableInput(f"the step {self.file}:{error.lineno or 1}: is not Python: {error.msg}") from None
        except Exception as error:
            raise UnreadableInput(f"the step {self._place()}: failed: {type(error).__name__}") from None

    def _place(self) -> str:
        """The file and the innermost line of the step that an error came from."""
        at = sys.exc_info()[2]
        line = 0
        while at is not None:
            if at.tb_frame.f_code.co_filename == self.file:
                line = at.tb_lineno
            at = at.tb_next
        return f"{self.file}:{line}" if line else self.file


def _words(code: CodeType) -> Iterator[str]:
    """The single words among the texts that code spells out."""
    left: list[object] = [code]
    while left:
        each = left.pop()
        if isinstance(each, CodeType):
            left += each.co_consts
        elif isinstance(each, tuple | frozenset):
            left += each
        elif isinstance(each, str) and each.isprintable() and " " not in each:
            yield each
