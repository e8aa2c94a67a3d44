"""The sheet language: what is read, what is remarked, and that nothing stops the reading."""

import random
import re
import string
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from overhang.language import SCHEMA, read_bytes, read_sheet, unparse
from overhang.language.builder import Builder
from overhang.language.lexer import Word
from overhang.language.parser import LineParser, parse_program
from overhang.language.syntax import match, write
from overhang.language.terminals import TERMINALS
from overhang.model import (
    BlockInfo,
    Check,
    Community,
    Configured,
    Device,
    HostKey,
    Lock,
    Method,
    Pause,
    PublicKey,
    Record,
    Saved,
    Server,
    SourceRule,
    Validity,
    parse_prefix,
)
from overhang.model.stored_secret import Form, StoredSecret
from overhang.text import Origin, UnreadableInput
from tests.support.generator import Made
from tests.support.sheets import SAMPLE_WORDS, quoted, sheets, words_of

ROWS = [row for rows in SCHEMA.table.values() for row in rows]


@pytest.mark.slow
@given(st.data())
@settings(max_examples=400, deadline=None)
def test_every_statement_reads_and_writes_alike(data: st.DataObject) -> None:
    row = data.draw(st.sampled_from(ROWS), label="row")
    words = data.draw(words_of(row), label="words")
    captures = match(row.alternatives, [Word(text, 1, 1) for text in words])
    assert captures is not None
    written = write(row.alternatives, captures)
    assert match(row.alternatives, [Word(text, 1, 1) for text in written]) == captures
    assert len(written) == len(words)
    if words[0] == "methods" and words[-1] == "level" and len(words) > 3:
        return
    text = quoted(words) + (":" if row.spec.opens else "")
    parsed = LineParser(SCHEMA).parse(row.spec.block, text).statement
    assert (parsed.spec, parsed.captures) == (row.spec, captures)
    assert parsed.spec.codec.decode(parsed.spec.codec.encode(parsed.value)) == parsed.value


def test_the_tests_have_samples_for_every_terminal() -> None:
    assert set(TERMINALS) == set(SAMPLE_WORDS)


def device(text: str) -> Any:
    sheet = read_sheet(text, "t.sheet")
    assert [str(each) for each in sheet.diagnostics] == []
    return sheet.device


def value(said: Configured[Any] | None) -> Any:
    return None if said is None else said.value


@pytest.mark.parametrize(
    ("text", "get", "expected"),
    [
        ("device quay:", lambda d: d.facts.name.value, "quay"),
        ("device:", lambda d: d.facts.name, None),
        ("device a:\n  saved never", lambda d: value(d.facts.saved[0]), Saved(None)),
        ("entry vty 0-2: accept nothing", lambda d: [value(d.vtys[n].accept) for n in (0, 2)], [(), ()]),
        ("entry vty 3: accept telnet ssh", lambda d: value(d.vtys[3].accept), ("telnet", "ssh")),
        ("entry console: check methods", lambda d: value(d.console.check), Check("methods")),
        ("entry console: check methods x", lambda d: value(d.console.check), Check("methods", "x")),
        ("entry console: level asked", lambda d: value(d.console.level), "asked"),
        ("entry console: idle never", lambda d: value(d.console.idle), None),
        ("entry vty 0-3:\n  password none", lambda d: (d.vtys[1].item, value(d.vtys[1].password)),
         ("entry:vty 0-3", StoredSecret(Form.NONE))),
        ("elevation 15: password hashed x", lambda d: value(d.elevations[15].strong), StoredSecret(Form.HASHED, "x")),
        ("elevation 15: password hashed $0$x", lambda d: value(d.elevations[15].plain), StoredSecret(Form.HASHED, "$0$x")),
        ('user "night crew": level 3', lambda d: value(d.users["night crew"].level), 3),
        ("user a:b: any-name", lambda d: value(d.users["a:b"].any_name), True),
        ("user x: public-key ssh-rsa AAAA me", lambda d: value(d.users["x"].public_keys[0]),
         PublicKey("ssh-rsa", b"\0\0\0", "me")),
        ("methods for level: servers g", lambda d: value(d.lists["level", None].methods[0]), Method("servers", "g")),
        ("methods for for login: users", lambda d: value(d.lists["login", "for"].methods[0]), Method("users")),
        ("servers tacacs g: server 2001:DB8::1 port 49 shared-secret none", lambda d: value(d.groups["g"].servers[0]),
         Server("2001:db8::1", 49, StoredSecret(Form.NONE))),
        ("sources l: deny any", lambda d: d.sources["l"].rules[0].value, SourceRule("deny")),
        ("sources l: allow 10.64.0.1", lambda d: str(d.sources["l"].rules[0].value.prefix), "10.64.0.1/32"),
        ("ssh: from l ipv6", lambda d: (d.ssh.sources.ipv4, value(d.ssh.sources.ipv6)), (None, "l")),
        ("ssh: from l", lambda d: (value(d.ssh.sources.ipv4), value(d.ssh.sources.ipv6)), ("l", "l")),
        ("ssh: host-key ed25519", lambda d: value(d.ssh.host_keys[0]), HostKey("ed25519", 256)),
        ("ssh: host-key unknown", lambda d: value(d.ssh.host_keys[0]), HostKey("unknown")),
        ("ssh: login password key", lambda d: value(d.ssh.login), "password key"),
        ("ssh: off", lambda d: value(d.ssh.on), False),
        ("web: certificate-valid 2026-01-01 to 2027-01-01", lambda d: type(value(d.web.certificate_valid)), Validity),
        ("snmp: community readable x write from l", lambda d: value(d.snmp.communities[0]),
         Community(StoredSecret(Form.READABLE, "x"), True, "l")),
        ("passwords: lock forever after 3", lambda d: value(d.passwords.lock), Lock(None, 3)),
        ("passwords: lock 1m after 3 in 2m", lambda d: value(d.passwords.lock), Lock(60, 3, 120)),
        ("management: pause 1m after 3 except l", lambda d: value(d.management.pause), Pause(60, 3, None, "l")),
        ("management: record logins yes to servers g", lambda d: value(d.management.record), Record(True, "g")),
        ("address 2001:db8::5/64: vlan 3", lambda d: d.addresses[0].prefix, parse_prefix("2001:db8::5/64")),
        ("address unknown: answers all", lambda d: (d.addresses[0].prefix, value(d.addresses[0].answers)), (None, ("all",))),
        ("address unknown: answers nothing", lambda d: value(d.addresses[0].answers), ()),
        ("banner before-login:\n    | a # b\n    |  c", lambda d: d.banners["before-login"].lines, ("a # b", " c")),
        ('device "a": # said', lambda d: d.name, "a"),
        ('device a: site "caf\\u00e9 # 1"', lambda d: value(d.facts.site), "café # 1"),
        ("device a: site ab\"c", lambda d: value(d.facts.site), 'ab"c'),
        ("\ufeffdevice a:", lambda d: read_bytes("\ufeffdevice a:".encode(), "t").device.name, "a"),
        ("device a:\r\n    kind router\r\n", lambda d: value(d.facts.kind), "router"),
    ],
)  # fmt: skip
def test_what_is_read(text: str, get: Any, expected: Any) -> None:
    assert get(device(text.removeprefix("\ufeff"))) == expected


# text, then each remark as it is shown: line, column, message; the carets are held against the text in another test
REMARKS = r"""
device a:|knd router
  2:5 unknown statement; did you mean kind?
entry console:|check pasword
  2:11 expected nothing, password, users or methods; did you mean password?
entry console:|accept ssh
  2:5 this statement does not belong in `entry console:` or `entry auxiliary:`; it belongs in `entry vty:`
entry vty 9-3:
  1:11 the range runs backwards; write 3-9
entry vty 0-999999999: check users
  1:11 VTYs are numbered from 0 to 255
entry vty 0-x:
  1:11 a range of VTYs is written like 0-3, one VTY like 7
entry console:|password readable #1boat
  2:14 TEXT is missing after this; a # at the start of a word begins a comment; put the word in quotes
entry console:|password readable
  2:14 TEXT is missing after this; write it as `password FORM`
entry console:|password readable a b
  2:25 the statement should have ended before this; write it as `password FORM`
entry console:|password masked harbour
  2:21 a masked password is ~ and lower-case base32 without padding
entry console:|password "abc
  2:14 the quotes are not closed; inside quotes, JSON's escapes apply
entry console:|password readable "a"b
  2:26 the closing quote must end the word; inside quotes, JSON's escapes apply
entry console:|password readable "\q"
  2:23 invalid escape in quotes; inside quotes, JSON's escapes apply
entry console:|idle 5
  2:10 a duration is written like 90s, 2m30s, 12h, 90d or never
entry console:|idle 0s
  2:10 a duration must be longer than zero; leave the statement out or write never
entry console
  1:1 a statement that begins a block ends in a colon; add : at the end
entry console: check users|idle 5m
  2:1 unexpected indentation; no block is open here; a statement that begins a block ends in a colon
user lena:|level 16
  2:11 a level is a number from 0 to 15
user lena:|level 1|  password none
  3:1 unexpected indentation; statements of one block have the same indentation
user lena:|expires 2026-02-30
  2:13 a date is written like 2031-05-17
user lena:|via ssh ssh
  2:13 a value of this list is given twice
user lena:|via shs
  2:9 expected one of console, auxiliary, ssh, telnet, http, https; did you mean ssh?
user lena:|public-key ssh-rsa A
  2:24 the key is not base64
sources l:|allow 10.64.0.0/99
  2:11 a prefix length for IPv4 is a number from 0 to 32; write it as `(allow | deny | leave) (PREFIX | HOST to HOST | HOST mask HOST | any | list LIST) | ask LIST`
sources l:|allow 300.0.0.1
  2:11 neither an IPv4 nor an IPv6 address; write it as `(allow | deny | leave) (PREFIX | HOST to HOST | HOST mask HOST | any | list LIST) | ask LIST`
sources l:|allow 2001:db8::
  2:11 an address that ends in a colon needs its prefix length, as in 2001:db8::/32; write it as `(allow | deny | leave) (PREFIX | HOST to HOST | HOST mask HOST | any | list LIST) | ask LIST`
web:|certificate-valid 2027-01-01 to 2026-01-01
  2:23 the first day comes after the last
address unknown:|answers all ssh
  2:17 the statement should have ended before this; write it as `answers (all | nothing | ANSWER...)`
banner before-login:|welcome
  2:5 a line of a banner starts with |
banner before-login: hello
  1:22 write the lines of a banner below it
drop
  1:1 drop needs a statement to take back
drop user
  1:6 NAME is missing after this; write it as `user NAME`
drop elevation:
  1:6 LEVEL is missing after this; write it as `elevation LEVEL`
passwd readable x
  1:1 unknown statement; did you mean passwords?
device "":
  1:8 a name cannot be empty
"""


def remark_cases() -> list[tuple[str, str]]:
    cases, text = [], ""
    for line in REMARKS.strip().splitlines():
        if line.startswith("  "):
            cases.append((text.replace("|", "\n    "), line.strip()))
        else:
            text = line
    return cases


@pytest.mark.parametrize(("text", "expected"), remark_cases())
def test_what_is_remarked(text: str, expected: str) -> None:
    sheet = read_sheet(text, "t")
    first = sheet.diagnostics[0]
    hint = f"; {first.hint}" if first.hint else ""
    assert f"{first.span.line}:{first.span.column} {first.message}{hint}" == expected
    assert not sheet.fully_understood


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("user a:\n  level 1\n  level 2", ["t:3:3: warning: this is set on line 2 already; the later one holds"]),
        ("user a:\nuser a:", ["t:2:1: warning: this block is on line 1 already; the two are merged"]),
        ("entry vty 0-3:\nentry vty 0-3:", ["t:2:1: warning: these VTYs have a block already; the two are merged"]),
        ("entry vty 0-3: check users\nentry vty 2: check nothing",
         ["t:2:1: warning: this is set on line 1 already; the later one holds"]),
        ("sources l: allow 10.64.0.5/10", ["t:1:1: warning: the prefix has host bits; 10.64.0.0/10 is used"]),
        ("banner before-login:\nbanner before-login:", ["t:2:1: warning: this banner is given twice; the later one holds"]),
        ("device a:\ndevice b:", ["t:2:1: warning: this block is on line 1 already; the two are merged",
                                  "t:2:1: warning: the device has a name already; the later one holds"]),
        ("servers radius g:\nservers tacacs g:", ["t:2:1: warning: a group has one protocol; the first one holds"]),
        ("drop user lena", ["t:1:1: warning: there is nothing to take back"]),
        ("drop user lena: level", ["t:1:1: warning: there is nothing to take back"]),
        ("address 10.64.0.5/10:", []),
    ],
)  # fmt: skip
def test_warnings(text: str, expected: list[str]) -> None:
    sheet = read_sheet(text, "t")
    assert [str(each) for each in sheet.diagnostics] == expected
    assert sheet.fully_understood


@pytest.mark.parametrize(
    ("text", "get", "expected"),
    [
        ("user a:\nuser b:\ndrop user a", lambda d: list(d.users), ["b"]),
        ("entry vty 0-3: check users\ndrop entry vty 1-2", lambda d: list(d.vtys), [0, 3]),
        ("entry vty 0-3: check users\ndrop entry vty 1-2: check", lambda d: [bool(e.check) for e in d.vtys.values()],
         [True, False, False, True]),
        ("ssh:\n  host-key rsa 512\n  host-key ed25519\n  drop host-key rsa 512", lambda d: len(d.ssh.host_keys), 1),
        ("ssh:\n  host-key rsa 512\n  host-key ed25519\ndrop ssh: host-key", lambda d: len(d.ssh.host_keys), 0),
        ("elevation 15:\n  password readable a\n  password hashed b\n  drop password readable a",
         lambda d: (d.elevations[15].plain, d.elevations[15].strong is not None), (None, True)),
        ("ssh: from a ipv4\ndrop ssh: from", lambda d: d.ssh.sources.ipv4, None),
        ("methods x for login:\nmethods for login:\ndrop methods x for login", lambda d: list(d.lists), [("login", None)]),
        ("servers radius g:\ndrop servers radius g", lambda d: list(d.groups), []),
        ("address unknown:\naddress 192.0.2.1:\ndrop address unknown", lambda d: len(d.addresses), 1),
        ("device a: kind router\ndrop device: kind", lambda d: (d.name, d.facts.kind), ("a", None)),
    ],
)  # fmt: skip
def test_taking_back(text: str, get: Any, expected: Any) -> None:
    sheet = read_sheet(text, "t")
    assert get(sheet.device) == expected
    assert sheet.fully_understood


def test_an_unread_header_takes_its_block_along_and_nothing_else() -> None:
    sheet = read_sheet("usr lena:\n    level 3\n    # nothing\n    role x\nuser omar:\n    level 4\n", "t")
    assert (sheet.unread, sheet.understood, list(sheet.device.users)) == ((1, 2, 4), 2, ["omar"])
    assert len(sheet.diagnostics) == 1


def test_a_tab_in_the_indentation() -> None:
    sheet = read_sheet("user lena:\n\tlevel 3\n    level 4\n", "t")
    assert [str(each) for each in sheet.diagnostics] == ["t:2:1: error: a tab in the indentation; use blanks"]
    assert sheet.device.users["lena"].block.doubt == ("t", 2)
    assert value(sheet.device.users["lena"].level) == 4


LINES = st.one_of(
    st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\n\0"), max_size=30),
    st.lists(st.sampled_from([word for row in ROWS for word in row.keywords] + ["x", "3", ":", '"', "#", "readable", "drop"]),
             max_size=5).map(" ".join),
    st.sampled_from([f"drop {word}" for row in ROWS for word in row.keywords]),
)  # fmt: skip


@pytest.mark.slow
@given(st.lists(st.tuples(st.integers(0, 8), LINES), max_size=12))
@settings(max_examples=300, deadline=None)
def test_any_text_is_read_and_every_line_counted(lines: list[tuple[int, str]]) -> None:
    text = "\n".join(" " * indent + line for indent, line in lines)
    sheet = read_sheet(text, "t")
    counted = [line for line in text.split("\n") if line.rstrip(" \t\r").lstrip(" \t") and line.lstrip(" \t")[0] != "#"]
    assert sheet.understood + len(sheet.unread) == len(counted)
    assert len(set(sheet.unread)) == len(sheet.unread)
    for each in sheet.diagnostics:
        assert 1 <= each.span.column < each.span.end
        first, marks = each.caret(60)
        assert len(first) <= 60
        assert set(marks) <= {" ", "^"}


SECRET = st.text(string.ascii_letters + string.digits + "#:|'", min_size=6, max_size=12).map(lambda text: "Zq" + text)


@given(SECRET, st.sampled_from(["readable", "masked", "hashed", "opaque", "masked-elsewhere", "readible", ""]),
       st.sampled_from(["password", "passwrod", "shared-secret", "elevation 15: password", "community", "user x: password",
                        "server 192.0.2.1 shared-secret", "snmp: community", "enable", "entry vty 0-3: password"]),
       st.sampled_from(["", " extra", " # note", " read from", '"']), st.randoms())  # fmt: skip
@settings(max_examples=300, deadline=None)
def test_no_secret_shows_in_a_quoted_line_or_a_remark(
    secret: str, form: str, before: str, after: str, rng: random.Random
) -> None:
    shown = f'"{secret}"' if rng.random() < 0.4 else secret
    text = f"user q:\n    {before} {form} {shown}{after}\n{before} {form} {shown}{after}\n"
    sheet = read_sheet(text, "t")
    for line in (2, 3):
        assert secret not in sheet.quote(line)
    for each in sheet.diagnostics:
        assert secret not in str(each)
        assert secret not in "".join(each.caret())


@pytest.mark.parametrize(
    ("line", "understood", "shown"),
    [
        ("    password readable boat # the old one", True, "    password readable ***"),
        ("user x: password masked-elsewhere ~abc", True, "user x: password masked-elsewhere ***"),
        ('    password readable "a b"', True, "    password readable ***"),
        ("    password none", True, "    password none"),
        ("    community readable gulls write from office", True, "    community readable *** write from office"),
        ("    | the password readable boat", True, "    | the password readable boat"),
        ("user readable: level 3", True, "user readable: level 3"),
        ("    password boat", False, "    password ***"),
        ("    secret boat", False, "    ***"),
        ("boat#secret stuff", False, "***"),
        ("    idle boat", False, "    idle ***"),
        ("pasword gull", False, "***"),
        ("password=gull", False, "***"),
        ("user lena secret gull", False, "user ***"),
        ('site "x # real one is gull', False, "site ***"),
        ("    elevation:", True, "    elevation:"),
        ("", False, ""),
    ],
)
def test_striking_out(line: str, understood: bool, shown: str) -> None:
    tried = [read_sheet(f"{head}\n{line}\n", "t") for head in ("user q:", "snmp:", "banner before-login:", "")]
    sheet = next((each for each in tried if not each.unread), tried[0])
    assert (2 not in sheet.unread or line.endswith(":"), sheet.quote(2)) == (understood or not line.strip(), shown)


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"device a:\n\0", "not a text file: a zero byte on line 2"),
        (b'device a:\n    site "caf\xe9"\n', "not UTF-8 text: byte 0xe9 on line 2"),
    ],
)
def test_what_is_no_sheet_at_all(data: bytes, message: str) -> None:
    with pytest.raises(UnreadableInput) as caught:
        read_bytes(data, "t")
    assert str(caught.value) == message


# -- writing -----------------------------------------------------------------------------------------------------------


def bare(value: Any) -> Any:
    """A device without the places that its values stand at."""
    if isinstance(value, Configured):
        return bare(value.value)
    if isinstance(value, StoredSecret):
        return (value.form, value.text)
    if isinstance(value, BlockInfo | Origin):
        return isinstance(value, BlockInfo) and value.origin is not None
    if isinstance(value, dict):
        return {key: bare(each) for key, each in value.items()}
    if isinstance(value, tuple):
        parts = value._replace(overrides=()) if isinstance(value, Device) else value
        return (type(value).__name__, *(bare(each) for each in parts))
    return value


@pytest.mark.slow
@given(sheets())
@settings(max_examples=180, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck), database=None)
def test_a_written_sheet_reads_as_the_same_device(text: str) -> None:
    first = read_sheet(text, "t")
    written = unparse(first.device, secrets=True)
    again = read_sheet(written, "t")
    assert not again.unread, again.diagnostics
    assert bare(again.device) == bare(first.device), written
    assert unparse(again.device, secrets=True) == written


@pytest.mark.slow
@given(st.integers(0, 10**9))
@settings(max_examples=150, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck), database=None)
def test_random_devices_are_written_and_read_back(seed: int) -> None:
    device = Made(seed).resolved.device
    written = unparse(device, secrets=True)
    again = read_sheet(written, "t").device
    assert bare(again)[2:] == bare(device)[2:], written
    blanked = unparse(device, secrets=False)
    assert not read_sheet(blanked, "t").unread
    assert not re.search(r"\b(readable|masked|hashed|opaque)\b", blanked)


def mixed_blocks(seed: int) -> list[str]:
    """Blocks of two random devices in any order, with some that take back what others say."""
    chance = random.Random(seed)
    text = "\n".join((Made(seed).text, Made(seed + 1_000_000).text))
    found = [each for each in re.split(r"\n(?=[^\s#])", text) if each.strip()]
    chance.shuffle(found)
    for _ in range(chance.randint(0, 4)):
        head, *inner = chance.choice(found).splitlines()
        inner = [line.split() for line in inner if line.strip() and line.strip()[0] not in "|#"]
        gone = f"drop {head.removesuffix(':')}"
        if inner and head.endswith(":") and chance.random() < 0.7:
            words = chance.choice(inner)
            gone = f"{head}\n    drop {' '.join(words[: chance.randint(1, len(words))])}"
        found.insert(chance.randint(0, len(found)), gone)
    return found


def test_what_two_files_say_is_what_one_says_and_is_written_and_read_back() -> None:
    for seed in (*range(25), 106, 202, 214, 248, 256, 401):  # the last ones have ranges of VTYs that overlap
        blocks = mixed_blocks(seed)
        place = random.Random(seed).randint(0, len(blocks))
        first, second = ("\n".join((*part, "")) for part in (blocks[:place], blocks[place:]))
        before = Builder("first")
        before.add(parse_program(first, "first"))
        after = Builder.over(before.device(), "second")
        after.add(parse_program(second, "second"))
        device = after.device()
        assert bare(device)[2:] == bare(read_sheet(first + second, "both").device)[2:], seed
        assert bare(read_sheet(unparse(device, secrets=True), "again").device)[2:] == bare(device)[2:], seed


@given(
    st.lists(
        st.one_of(
            st.sampled_from(
                ["berth", "user", "drop", "entry", "level:", "#x", '"q"', "a:b", "|", "été", "x:", ":", "level"]
            ),
            st.text(st.characters(codec="ascii", exclude_characters="\n"), min_size=1, max_size=6),
        ),
        max_size=5,
    )
)
def test_lines_that_begin_with_no_keyword_are_told_as_if_they_were_split(words: list[str]) -> None:
    text = "device quay:\n    " + " ".join(words) + "\n" + " ".join(words) + "\n"
    quick = parse_program(text, "t", LineParser(SCHEMA))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("overhang.language.parser._FIRST", re.compile("(?!)"))
        assert parse_program(text, "t", LineParser(SCHEMA)) == quick
