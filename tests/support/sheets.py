"""Random words and sheets of every statement, drawn from the schema."""

from hypothesis import strategies as st

from overhang.language import SCHEMA
from overhang.language.lexer import quote_word
from overhang.language.spec import CompiledSpec
from overhang.language.syntax import Part
from overhang.model.masking import mask

SAMPLE_WORDS = {
    "NAME": ["lena", "crew-2", "größe"],
    "LIST": ["office"],
    "GROUP": ["central"],
    "TEXT": ["boat"],
    "LEVEL": ["0", "15"],
    "N": ["0", "12"],
    "COUNT": ["1", "30"],
    "BITS": ["256", "4096"],
    "PORT": ["22", "65535"],
    "VLAN": ["1", "4094"],
    "RANGE": ["0-3", "7", "0-255"],
    "DURATION": ["90s", "2m30s", "never"],
    "SPAN": ["12h", "90d"],
    "DATE": ["2031-05-17"],
    "MOMENT": ["2031-05-17T09:30:00Z", "2031-05-17"],
    "ADDRESS": ["192.0.2.1", "2001:db8::1"],
    "PREFIX": ["10.64.0.0/10", "2001:db8::/32", "192.0.2.1"],
    "OWN-PREFIX": ["10.64.0.5/10", "2001:db8::1/64", "192.0.2.1"],
    "HOST": ["192.0.2.1"],
    "HOURS": ["08:00-17:30", "22:00-06:00"],
    "DAYS": ["mon-fri", "tue,sun"],
    "WAY": ["console", "https"],
    "REMOTE": ["ssh", "telnet"],
    "ANSWER": ["ssh", "snmp", "copy"],
    "SSH-VERSION": ["1", "2"],
    "SNMP-VERSION": ["1", "3"],
    "TLS-VERSION": ["1.0", "1.3"],
    "BASE64": ["AAAA", "AAAAC3Nz"],
}
FORMS = [
    *(["readable", "x y"], ["masked", mask("x")], ["hashed", "$1$a$b"], ["opaque", "9"]),
    *(["withheld"], ["none"], ["factory"], ["masked-elsewhere", "~"], ["unopenable"]),
]


def words_of(row: CompiledSpec) -> st.SearchStrategy[list[str]]:
    """Words that a row's syntax allows."""
    return st.one_of(
        *(
            st.tuples(*map(_part, parts)).map(lambda found: [word for words in found for word in words])
            for parts in row.alternatives
        )
    )


def _part(part: Part) -> st.SearchStrategy[list[str]]:
    if part.secret:
        return st.sampled_from(FORMS)
    if part.terminal is None:
        return st.just([part.keyword])
    words = SAMPLE_WORDS[part.terminal.name]
    if part.repeated:
        return st.lists(st.sampled_from(words), min_size=1, max_size=len(words), unique=True)
    return st.sampled_from(words).map(lambda word: [word])


def quoted(words: list[str]) -> str:
    return " ".join(map(quote_word, words))


@st.composite
def sheets(draw: st.DrawFn) -> str:
    """Random sheets of all statements, as a person could write them."""
    lines = []
    for row in draw(st.lists(st.sampled_from(SCHEMA.table[""]), max_size=8)):
        lines.append(quoted(draw(words_of(row).filter(_has_block))) + ":")
        kind = row.spec.opens
        if kind == "banner":
            text = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")), max_size=12)
            lines += ["    |" + (f" {line}" if line else "") for line in draw(st.lists(text, max_size=3))]
            continue
        for inner in draw(st.lists(st.sampled_from(SCHEMA.table[kind]), max_size=5)):
            lines.append("    " + quoted(draw(words_of(inner))))
    numbers = st.sampled_from(("0", "0-3", "2-5", "4", "3-9"))
    some = st.sampled_from(
        (
            *("drop entry vty {}", "drop entry vty {}: password", "entry vty {}: password opaque 7"),
            *(
                "entry vty {}: idle 3m",
                "entry vty {}: another-password opaque 8",
                "entry vty {}: another-password none",
            ),
            "drop entry vty {}: another-password opaque 8",
        )
    )
    lines += [draw(some).format(draw(numbers)) for _ in range(draw(st.integers(0, 6)))]
    return "\n".join(lines) + "\n"


def _has_block(words: list[str]) -> bool:
    """The method list for level has no name."""
    return not (words[0] == "methods" and words[-1] == "level" and len(words) > 3)
