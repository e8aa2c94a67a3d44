"""The two protocols that are spoken by this program's own code: Telnet's commands and TACACS+."""

import asyncio

import pytest
from hypothesis import given
from hypothesis import strategies as st

from overhang.stand_in import tacacs
from overhang.stand_in.dialog import Ask
from overhang.stand_in.drive import Gone
from overhang.stand_in.telnet import DO, DONT, ECHO, IAC, SB, SE, WILL, WONT, TelnetDecoder, TelnetLine


@given(st.binary(max_size=80).map(lambda text: text.replace(b"\xff", b"")), st.integers(0, 80), st.binary(max_size=9))
def test_text_comes_through_whatever_is_negotiated(text: bytes, at: int, inside: bytes) -> None:
    between = bytes((IAC, DO, 31, IAC, SB, 24)) + inside.replace(b"\xff", b"") + bytes((IAC, SE, IAC, IAC))
    decoder, found = TelnetDecoder(), []
    for byte in text[:at] + between + text[at:]:  # in pieces of one byte
        found += list(decoder.feed(bytes((byte,))))
    assert bytes(each for each in found if isinstance(each, int)) == text[:at] + b"\xff" + text[at:]
    assert [each for each in found if not isinstance(each, int)] == [(DO, 31)]


class Written:
    def __init__(self) -> None:
        self.data = b""

    def write(self, data: bytes) -> None:
        self.data += data

    async def drain(self) -> None:
        pass


def asked(data: bytes, question: Ask = Ask("name: ")) -> tuple[object, bytes]:  # noqa: B008
    async def run() -> tuple[object, bytes]:
        reader, writer = asyncio.StreamReader(), Written()
        reader.feed_data(data)
        reader.feed_eof()
        line = TelnetLine(reader, writer)  # type: ignore[arg-type]
        try:
            return await line.ask(question), writer.data
        except Gone as gone:
            return (gone.why or "gone"), writer.data

    return asyncio.run(run())


@pytest.mark.parametrize(
    ("data", "answer"),
    [
        (b"lena\r\n", "lena"),
        (b"lena\r\0", "lena"),
        (b"lena\n", "lena"),
        (b"lex\x08na\x7fa\r\n", "lena"),
        (b"\r\n", ""),
        (b"\x04", None),
        (b"le\x04na\r\n", "le\x04na"),
        (b"\x03", "gone"),
        (b"len", "gone"),
        (b"\xc3\xa9\xff\xff\r\n", "é\ufffd"),
        (b"a" * 5_000, "a line of more than 4096 bytes"),
        (bytes((IAC, SB)) + b"a" * 1_000_000, "gone"),
    ],
)
def test_a_line_as_people_and_others_type_it(data: bytes, answer: str | None) -> None:
    assert asked(data)[0] == answer


def test_a_password_is_not_echoed_and_odd_options_are_refused() -> None:
    options = bytes((IAC, DO, ECHO, IAC, WILL, 31, IAC, DO, 3, IAC, DO, 3, IAC, DONT, 5, IAC, WONT, 6))
    answer, shown = asked(options + b"gull\r\n", Ask("password: ", secret=True))
    assert answer == "gull"
    assert b"gull" not in shown
    command = [shown[at : at + 3] for at in range(len(shown)) if shown[at] == IAC]
    assert command == [bytes((IAC, *pair)) for pair in ((WILL, ECHO), (DONT, 31), (WILL, 3), (WONT, ECHO))]


TEXT = st.text(max_size=60)
SECRET = st.binary(max_size=20)


@given(TEXT, TEXT, SECRET, st.integers(0, 15) | st.none())
def test_both_sides_of_tacacs_read_what_the_other_writes(
    user: str, password: str, secret: bytes, level: int | None
) -> None:
    header = tacacs.new_session(tacacs.AUTHENTICATION)
    start = tacacs.Start(user, password, "vty0", "192.0.2.9")
    sent = tacacs.packed(tacacs.Packet(header, tacacs.start_body(start)), secret)
    read = tacacs.read_header(sent[: tacacs.size_of_header()])
    assert tacacs.read_start(tacacs.obfuscated(read, sent[tacacs.size_of_header() :], secret)) == start
    assert tacacs.read_reply(tacacs.reply_body(tacacs.FAIL)) == tacacs.FAIL
    assert tacacs.read_request(tacacs.request_body(user, "", "")) == (user, ["service=shell", "cmd="])
    assert tacacs.read_response(tacacs.response_body(tacacs.PASS_ADD, level)) == (tacacs.PASS_ADD, level)


@given(st.binary(max_size=60))
def test_junk_is_no_packet(data: bytes) -> None:
    for read in (tacacs.read_start, tacacs.read_reply, tacacs.read_request, tacacs.read_response):
        try:
            read(data)
        except tacacs.BadPacket:
            continue


def test_the_obfuscation_is_that_of_the_rfc() -> None:
    # The pad is MD5 of the session, the secret, the version and the number; then of these and the pad before.
    header = tacacs.Header(0xC1, 1, 1, 0, 0x01020304, 5)
    assert tacacs.obfuscated(header, bytes(5), b"shared").hex() == "9b4905a0ac"
