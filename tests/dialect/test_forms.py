"""One device, written in every form of layout with whatever may stand in it beside statements, is read as itself."""

import itertools
import json
import random
from collections import Counter
from collections.abc import Iterator

from overhang.dialect import Dialect, read_dialect, read_dialect_text
from overhang.dialect.scaffold import scaffold_dialect
from overhang.dialect.unparser import phrase
from overhang.language import ParsedConfig, read_sheet
from tests.support.configs import said

FORMS = ("indented", "flat", "sections", "braces")
#: Settings of the layout, in which forms they are possible, and how they are written.
SETTINGS = (
    ("comments", FORMS, '["#"]'),
    ("trailing-comments", FORMS, '["!!"]'),
    ("block-comments", FORMS, '["/*", "*/"]'),
    ("take-back", FORMS, '"no"'),
    ("dormant", FORMS, '["~"]'),
    ("signs", FORMS, '"="'),
    ("say", ("flat",), '"set"'),
    ("continued", FORMS[:3], "'\\'"),
    ("continues", FORMS[:3], '"+"'),
    ("page-breaks", FORMS[:3], '["Page *"]'),
    ("between", FORMS[:3], '";"'),
    ("label-ends", FORMS[:3], '":"'),
    ("closers", ("indented",), '["end"]'),
    ("ends", ("braces",), '";"'),
)
WORDS = ("boat", "a b", "x#y", "two  blanks", "semi;colon", "br{ace}", "/* none */", "!! none")
#: Lines of a banner that look like something else; the one that begins a banner is "x".
LOOKS = (
    *("who eve", "  rank 9", "/* open", "*/", "# x", "!! y", "}", "{", "end", "[who eve]", "Page 3", "~who eve"),
    *("don't", 'a "quote', "; ; ;", "trail \\", "+ more", "", "no who lena", "set who eve rank 3", "= ="),
)


class Written:
    """A device in a form: the dialect, the text, and what stands in it."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)
        self.form = self.chance.choice(FORMS)
        self.settings = {
            key: text for key, forms, text in SETTINGS if self.form in forms and self.chance.random() < 0.4
        }
        if self.form == "sections":
            self.settings |= {"headings": '["[*]"]', "closers": '["end"]'}
        self.equals = " = " if "signs" in self.settings else " "
        if "label-ends" in self.settings:
            self.settings |= {"leaders": '"."'}
            self.settings.pop("signs", None)
            self.equals = ": "
        self.say = "set " if "say" in self.settings else ""
        self.stop = ";" if "ends" in self.settings else ""
        self.users: dict[str, tuple[int, str | None]] = {}
        self.banners: dict[str, list[str]] = {}
        self.lines: list[str] = []
        for name in self.chance.sample(("lena", "omar", "ines", "arne", "kaja"), self.chance.randint(1, 5)):
            self.noise("")
            self.banner()
            self.user(name)

    def maybe(self, key: str, often: float = 0.3) -> bool:
        return key in self.settings and self.chance.random() < often

    def dialect(self) -> Dialect:
        layout = "".join(f"{key} = {text}\n" for key, text in self.settings.items())
        inside = '[[translate]]\ninside = "who"\n'
        hail = f'[[translate]]\nline = "{self.say}hail {{e:sign}}"\ntext = "t"\nuntil = "{{e}}"\n'
        motto = f'[[translate]]\nline = "{self.say}motto"\ntext = "t"\nuntil = "END"\n'
        return read_dialect(
            (
                f'name = "trial"\n[layout]\nform = "{self.form}"\n{layout}'
                '[blocks]\nwho = { head = "who {who}", means = "user {who}:" }\n'
                f'{inside}line = "rank{self.equals}{{n:level}}"\nmeans = "user {{who}}: level {{n}}"\n'
                f'{inside}line = "word{self.equals}{{w:rest}}"\nmeans = "user {{who}}: password readable {{w}}"\n'
                f'{hail}means = "banner before-login: | {{t}}"\n{motto}means = "banner after-login: | {{t}}"\n'
            ).encode(),
            "trial.dialect.toml",
        )

    def noise(self, indent: str) -> None:
        """Perhaps something that says nothing, in whole lines."""
        kinds = [[""]]
        kinds += [[f"{indent}# who eve"]] * ("comments" in self.settings)
        kinds += [["Page 3 of 9"]] * ("page-breaks" in self.settings)
        if "block-comments" in self.settings:
            kinds += [[f"{indent}/* who eve", '  rank 3; } "', f"{indent}*/"], [f"{indent}/* one */"]]
        if self.chance.random() < 0.3:
            self.lines += self.chance.choice(kinds)

    def banner(self) -> None:
        if self.chance.random() < 0.7:
            return
        body = ["x", *self.chance.sample(LOOKS, 3)]
        if self.chance.random() < 0.5:
            sign = self.chance.choice("@%^")
            self.lines += [f"{self.say}hail {sign}", *body, sign + self.stop]
            self.banners["before-login"] = body
        else:
            self.lines += [f"{self.say}motto{self.stop}", *body, "END"]
            self.banners["after-login"] = body

    def statement(self, text: str, indent: str) -> None:
        """A statement on lines of its own, perhaps on two, perhaps with a comment behind it."""
        if self.maybe("label-ends"):
            text = text.replace(": ", self.chance.choice((" : ", " .....: ", "...: ")), 1)
        first, _, rest = text.rpartition(" ")
        if self.maybe("continued") and '"' not in text:
            self.lines += [f"{indent}{first} \\", f"{indent}   {rest}"]
        elif self.maybe("continues") and '"' not in text:
            self.lines += [indent + first, f"{indent}  + {rest}"]
        else:
            self.lines.append(indent + text + " !! who eve" * self.maybe("trailing-comments"))

    def user(self, name: str) -> None:
        level, word = self.chance.randrange(16), self.chance.choice((None, *WORDS))
        self.users[name] = level, word
        said = [f"rank{self.equals}{level}"]
        if word is not None:
            said.append(f'word{self.equals}"{word}"' if word != "boat" else f"word{self.equals}boat")
        self.chance.shuffle(said)
        head = {"flat": f"{self.say}who {name} ", "sections": f"[who {name}]"}.get(self.form, f"who {name}")
        indent = "  " if self.form in ("indented", "braces") else ""
        if self.form == "flat":
            said, head = [head + each for each in said], ""
        elif self.form == "braces":
            said, head = [each + self.stop for each in said], head + " {"
        self.lines += [head] if head else []
        if self.maybe("between") and not head.startswith("who {"):
            said = ["; ".join(said)]
        for each in said:
            self.noise(indent)
            self.statement(each, indent)
        self.lines += self.dormant(f"rank{self.equals}9", indent)
        self.lines += {"sections": ["end"], "braces": ["}"]}.get(self.form, ["end"] * self.maybe("closers"))

    def dormant(self, rank: str, indent: str) -> Iterator[str]:
        """Statements as if they were not there."""
        if not self.maybe("dormant", 0.6):
            return
        if self.form == "flat":
            yield f"~{self.say}who eve {rank}"
        elif self.form == "braces":
            yield from (f"{indent}~ {rank}{self.stop}", "~ who eve {", rank + self.stop, "}")
        else:
            yield f"{indent}~{rank}"


def read(config: ParsedConfig) -> tuple[dict[str, tuple[int, str | None]], dict[str, list[str]]]:
    users = {
        name: (user.level.value if user.level else -1, user.password.value.text if user.password else None)
        for name, user in config.device.users.items()
    }
    return users, {name: list(banner.lines) for name, banner in config.device.banners.items()}


def test_a_device_is_itself_in_every_form() -> None:
    seen: Counter[tuple[str, str]] = Counter()
    for seed in range(300):
        written = Written(seed)
        text = "\n".join([*written.lines, ""])
        config = read_dialect_text(written.dialect(), text, "x")
        assert (*read(config), config.unread) == (written.users, written.banners, ()), (seed, text)
        seen.update((written.form, key) for key in written.settings if written.banners)
    wanted = {(form, key) for key, forms, _ in SETTINGS for form in forms}
    assert {each for each in wanted if seen[each] < 3} == set()


#: Names that a layout may take for something else.
NAMES = (
    *(
        "lena",
        "semi;colon",
        "a b",
        "x#y",
        "br{ace}",
        "=",
        "a=b",
        "!!x",
        'q"uote',
        "back\\slash",
        "#lead",
        "~dorm",
        "/*c",
    ),
    *("end", "no", "set", "+plus", "Page 3", "trail\\", "[x]", "'q'", "who"),
)


def test_what_is_written_in_a_form_is_read_as_it_was_meant() -> None:
    for seed in range(60):
        dialect = Written(seed).dialect()
        for name, inner in itertools.product(NAMES, (" level 5", " password readable withheld", "")):
            statement = f"user {json.dumps(name)}:{inner}"
            lines = phrase(dialect, [statement]).lines
            assert lines is not None, (seed, statement)
            config = read_dialect_text(dialect, "\n".join((*lines, "")), "x")
            want = read_sheet(statement, "x")
            assert (said(config), config.unread) == (said(want), ()), (seed, lines)


def test_a_dialect_begun_from_any_form_can_be_used_and_holds_no_password() -> None:
    right = 0
    for seed in range(100):
        written = Written(seed)
        text = "\n".join([*written.lines, ""])
        begun = scaffold_dialect([("quay.txt", text)], "begun")
        layout = read_dialect(begun.encode(), "begun.dialect.toml").layout
        right += layout.form == written.form
        assert not [word for word in WORDS if word != "boat" and word in begun], seed
    assert right >= 80
