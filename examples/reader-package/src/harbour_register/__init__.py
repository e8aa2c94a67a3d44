"""An example of what a package adds to Overhang: a reader for a format of its own, an opener of masked passwords."""

from overhang.formats import Source, assemble
from overhang.language import Collector, ParsedConfig
from overhang.text import SourceLines, UnreadableInput, Vouched

_HEAD = "HARBOUR REGISTER"


class RegisterReader:
    """Reads registers: a head with the device's name, then a line for each account."""

    name = "harbour-register"
    about = "registers of the harbour office: name | level | hash"

    def recognises(self, data: bytes, file: str) -> bool:
        """By its first words."""
        del file
        return data.startswith(_HEAD.encode())

    def read(self, data: bytes, file: str) -> ParsedConfig:
        """Read it. Raises UnreadableInput."""
        try:
            lines = data.decode("utf-8").split("\n")
        except UnicodeDecodeError:
            raise UnreadableInput("not UTF-8 text") from None
        collected, vouched = Collector(), {}
        for number, line in enumerate(lines, 1):
            cells = [cell.strip() for cell in line.split("|")]
            if number == 1:
                collected.begin(1, "device", line.removeprefix(_HEAD).strip())
                vouched[1] = [(0, len(line))]
            elif len(cells) == 3:
                account = collected.begin(number, "user", cells[0])
                collected.give(number, account, "level", cells[1])
                collected.give(number, account, "password", "hashed", cells[2])
                vouched[number] = [(0, line.rindex("|") + 1)]  # what stands behind is not shown: the hash
            elif line.strip():
                collected.misread(number, "expected a name, a level and a hash, separated by |")
        collected.understood = sum(bool(line.strip()) for line in lines) - len(collected.unread)
        shown = SourceLines(lines, lambda number: Vouched(vouched.get(number, ())))
        return assemble(Source(file, shown, self.name), collected)


READER = RegisterReader()


def open_veiled(text: str) -> str:
    """Open what Marram masks: hexadecimal digits of the text. Raises ValueError."""
    return bytes.fromhex(text).decode("utf-8")
