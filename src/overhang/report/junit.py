"""JUnit XML, as build servers read it: suites of cases, each passed, failed, skipped or in error."""

from collections.abc import Mapping
from xml.etree import ElementTree

from overhang.text.printable import Printable, safe


class Suites:
    """A report of suites. Texts may hold anything; what XML cannot hold is made visible."""

    def __init__(self, name: str, **counts: int) -> None:
        self._root = ElementTree.Element("testsuites", _attributes({"name": name, **counts}))

    def suite(self, name: str, counts: Mapping[str, int], **attributes: str) -> "Suite":
        """Begin a suite; ``counts`` are its tests, failures, errors and skipped cases."""
        return Suite(
            ElementTree.SubElement(self._root, "testsuite", _attributes({"name": name, **attributes, **counts}))
        )

    def text(self) -> Printable:
        """The report as a document."""
        ElementTree.indent(self._root)
        body = ElementTree.tostring(self._root, encoding="unicode")
        return Printable(f'<?xml version="1.0" encoding="utf-8"?>\n{body}\n')


class Suite:
    """One suite, to which cases are added."""

    def __init__(self, element: ElementTree.Element) -> None:
        self._element = element

    def case(
        self,
        name: str,
        classname: str,
        outcome: str = "",
        attributes: Mapping[str, str] | None = None,
        detail: str = "",
        **more: str,
    ) -> None:
        """Add a case: passed, or with an ``outcome`` of failure, error or skipped."""
        names = _attributes({"name": name, "classname": classname, **more})
        case = ElementTree.SubElement(self._element, "testcase", names)
        if outcome:
            inner = ElementTree.SubElement(case, outcome, _attributes(attributes or {}))
            inner.text = "\n".join(safe(line) for line in detail.split("\n")) or None


def _attributes(values: Mapping[str, object]) -> dict[str, str]:
    return {name: safe(str(value)) for name, value in values.items()}
