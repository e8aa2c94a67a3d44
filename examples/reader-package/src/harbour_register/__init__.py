"""An example of what a package adds to Overhang: a reader for a format of its own, an opener of masked passwords."""

from overhang.formats import Line, Source, Unread, assemble, shown_lines
from overhang.language import ParsedConfig, Unreadable
from overhang.language.unparser import word

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
        """Read it. Raises Unreadable."""
        try:
            lines = data.decode("utf-8").split("\n")
        except UnicodeDecodeError:
            raise Unreadable("not UTF-8 text") from None
        said, unread, secrets = [], [], {}
        for number, line in enumerate(lines, 1):
            cells = [cell.strip() for cell in line.split("|")]
            if number == 1:
                said.append(Line(1, f"device {word(line.removeprefix(_HEAD).strip())}:"))
            elif len(cells) == 3:
                head = f"user {word(cells[0])}:"
                said.append(Line(number, head, f"level {word(cells[1])}"))
                said.append(Line(number, head, f"password hashed {word(cells[2])}"))
                secrets[number] = [cells[2]]
            elif line.strip():
                unread.append(Unread(number, "a name, a level and a hash are expected, parted by |"))
        source = Source(file, lines, shown_lines(lines, secrets), self.name)
        understood = sum(bool(line.strip()) for line in lines) - len(unread)
        return assemble(source, said, unread, understood)


READER = RegisterReader()


def open_r7(text: str) -> str:
    """Open what Marram masks: hexadecimal digits of the text. Raises ValueError."""
    return bytes.fromhex(text).decode("utf-8")
