import pytest
from hypothesis import given
from hypothesis import strategies as st

from overhang.model import verification
from overhang.model.hash_budget import HashBudget, groups_of_equal, share_of
from overhang.model.masking import mask, unmask
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import cost_of, hash_text, opens, plain_text, scheme_of

TEXT = st.text(st.characters(exclude_categories=["Cs"]), max_size=40)

# hash of "boat" and whether a text opens it; made with other programs' defaults at small cost
HASHES = [
    ("MD5 crypt", "$1$quay$zQXgVMSWlVChlq5cuDI.L0"),
    ("SHA-256 crypt", "$5$rounds=1000$quay$e9VnsyOQNCwm/wE81I6mk67LpiEfEfFaVjAq3lRlR21"),
    ("SHA-512 crypt", "$6$rounds=1000$quay$"),
]


@pytest.mark.parametrize(
    ("text", "units", "memory"),
    [
        ("$1$abc$def", 1, 0),
        ("$6$abc$def", 4, 0),
        ("$6$rounds=50000$abc$def", 41, 0),
        ("$2b$12$abc", 205, 4),
        ("$2b$18$abc", 13108, 4),
        ("$2b$99$abc", 1 + (1 << 40) // 20, 4),
        ("$pbkdf2-sha256$29000$abc$def", 30, 0),
        ("$scrypt$ln=14,r=8,p=1$abc$def", 41, 16384),
        ("$argon2id$v=19$m=65536,t=3,p=4$abc$def", 197, 65536),
        ("$argon2id$v=19$m=1048576,t=1,p=4$abc$def", 1049, 1048576),
        ("$y$j9T$abc$def", 41, 16384),
        ("$y$x$abc$def", 1_000_001, 0),
        ("$gy$j9T$abc$def", 41, 16384),
        ("$sha1$24680$abc$def", 25, 0),
        ("abrEWxdSUek5Q", 1, 0),
        ("plain", 1, 0),
    ],
)
def test_what_a_try_costs_is_read_off_the_hash(text: str, units: int, memory: int) -> None:
    assert cost_of(text) == (units, memory)
    stored = StoredSecret(Form.HASHED, text)
    assert HashBudget(1000).affords(stored) == (units <= 1000 and memory <= 102400)
    assert HashBudget(units, asked=True).affords(stored)
    assert not HashBudget(units - 1, asked=True).affords(stored)


def test_a_pair_is_paid_for_once_and_nothing_is_tried_beyond_the_budget() -> None:
    import passlib.hash

    stored = StoredSecret(Form.HASHED, passlib.hash.sha512_crypt.using(rounds=5000).hash("boat"))
    budget = HashBudget(9)
    assert [budget.opens(stored, each) for each in ("a", "a", "boat", "c", "boat")] == [False, False, True, None, True]
    assert (budget.left, budget.opener(stored)) == (1, "boat")


def test_a_budget_is_dealt_out_by_number_alone() -> None:
    assert [share_of(None, size).units for size in (0, 1, 24, 31, 100, 1000, 40_000)] == [
        1000,
        1000,
        1000,
        624,
        60,
        2,
        0,
    ]
    assert [share_of(60_000, size).units for size in (1, 7)] == [60_000, 8571]
    assert share_of(0, 1).units == 0


def the_same(one: StoredSecret, other: StoredSecret) -> bool:
    return len(groups_of_equal([(1, one), (2, other)], HashBudget())[0]) == 1


HOSTILE = [
    "$6$rounds=999999999$abc$def",
    "$2b$31$abcdefghijklmnopqrstuuCWlnHNjpcsaXaWHIrAMqyrPxYHOZRsy",
    "$scrypt$ln=30,r=8,p=1$YWJj$ZGVm",
    "$argon2id$v=19$m=99999999,t=9,p=1$c2FsdHNhbHQ$aGFzaGhhc2hoYXNo",
    "$pbkdf2-sha256$999999999$abc$def",
    "$6$",
    "$1$abc",
    "$2b$99$x",
    "$y$j9T$",
    "$no-such-scheme$x",
    "plain",
    "",
]


@given(TEXT)
def test_masking_reverses(text: str) -> None:
    assert unmask(mask(text)) == text
    assert mask(text).startswith("~")
    assert mask(text)[1:].islower() or not any(character.isalpha() for character in mask(text))


@given(TEXT, TEXT)
def test_equal_passwords_look_equal_and_others_do_not(one: str, other: str) -> None:
    assert (mask(one) == mask(other)) == (one == other)


def test_the_published_scheme_stays() -> None:
    assert [mask(text) for text in ("", "a", "harbour", "quai 3 é")] == [
        "~",
        "~yi",
        "~2p2q4icplwbq",
        "~bjb374p5mv6k7sq",
    ]


@pytest.mark.parametrize("text", ["", "2p2q", "~2P2Q", "~2p2q4icplwbq=", "~1", "~a", "~2p2r", "~é", "x~"])
def test_what_is_no_masked_text(text: str) -> None:
    with pytest.raises(ValueError, match=r"mask|base32"):
        unmask(text)


@pytest.mark.parametrize("text", HOSTILE)
def test_a_hostile_hash_can_not_be_told_and_takes_no_time(text: str) -> None:
    assert opens(StoredSecret(Form.HASHED, text), "boat") is None


@pytest.mark.parametrize("name", ["bcrypt", "pbkdf2_sha256", "scrypt", "argon2", "sha256_crypt", "md5_crypt"])
def test_hashes_are_verified_for_real(name: str) -> None:
    import passlib.hash

    handler = getattr(passlib.hash, name)
    cheap = {"bcrypt": 4, "pbkdf2_sha256": 10, "scrypt": 4, "argon2": 1, "sha256_crypt": 1000}
    made = handler.using(rounds=cheap[name]).hash("boat") if name in cheap else handler.hash("boat")
    stored = StoredSecret(Form.HASHED, made)
    assert scheme_of(made) is not None
    assert (opens(stored, "boat"), opens(stored, "Boat"), opens(stored, "")) == (True, False, False)
    assert the_same(stored, StoredSecret(Form.MASKED, mask("boat")))
    assert not the_same(stored, StoredSecret(Form.READABLE, "Boat"))


OF_THE_SYSTEM = [
    "abrEWxdSUek5Q",
    "$sha1$1000$quay$Vf3MDK2kCoPN26TugLsHreS6UJrd",
    "$gy$j9T$quayquay$EGXijjXnvjGd8r20/EzdvBHuEpFaZCl6iHKBkOYBRA.",
    "$y$j9T$quayquay$JmhUEoXTcKfGy.MAmOKKIjDr5Mp4jNMI5hxZiuLpmC5",
    "$1$quay$k2n9f6JiaSWO/r0jwJcBd0",
]


@pytest.mark.parametrize("crypt", [verification._crypt_of_system(), verification._crypt_by_itself()])
@pytest.mark.parametrize("text", OF_THE_SYSTEM)
def test_forms_that_the_c_library_knows(text: str, crypt: object, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(verification, "_crypt_of_system", lambda: crypt)
    verification._verify.cache_clear()
    stored, right = StoredSecret(Form.HASHED, text), "" if text.startswith("$1$") else "boat"
    assert (opens(stored, right), opens(stored, "goat")) == (True, False)
    monkeypatch.setattr(verification, "_crypt_of_system", lambda: None)
    verification._verify.cache_clear()
    assert opens(stored, right) is (True if text.startswith("$1$") else None)
    verification._verify.cache_clear()


def test_what_bcrypt_says_of_long_passwords_is_what_the_c_library_says() -> None:
    text = "$2b$04$abcdefghijklmnopqrstuuIEvsxs6n4OWFyhKpPKdyCqVMgg.dAHW"
    known = verification._crypt_by_itself()
    assert known is not None
    made = known("x" * 80, text[:29])
    assert made is not None
    stored = StoredSecret(Form.HASHED, made)
    assert (opens(stored, "x" * 80), opens(stored, "y" * 80)) == (True, False)


def test_a_made_hash_opens_and_differs_each_time() -> None:
    one, other = hash_text("boat"), hash_text("boat")
    assert one != other
    assert opens(StoredSecret(Form.HASHED, one), "boat") is True


@pytest.mark.parametrize(
    ("stored", "typed", "answer"),
    [
        (StoredSecret(Form.READABLE, "boat"), "boat", True),
        (StoredSecret(Form.READABLE, "boat"), "boat ", False),
        (StoredSecret(Form.MASKED, mask("boat")), "boat", True),
        (StoredSecret(Form.MASKED_ELSEWHERE, "8f"), "8f", None),
        (StoredSecret(Form.HASHED, "$0$boat"), "boat", True),
        (StoredSecret(Form.HASHED, "$0$boat"), "$0$boat", False),
        (StoredSecret(Form.OPAQUE, "8f"), "8f", None),
        (StoredSecret(Form.WITHHELD), "x", None),
        (StoredSecret(Form.FACTORY), "whatever", True),
        (StoredSecret(Form.NONE), "", True),
        (StoredSecret(Form.NONE), "x", False),
    ],
)
def test_what_opens_what(stored: StoredSecret, typed: str, answer: bool | None) -> None:
    assert opens(stored, typed) is answer


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        (StoredSecret(Form.READABLE, "boat"), StoredSecret(Form.MASKED, mask("boat")), True),
        (StoredSecret(Form.READABLE, "boat"), StoredSecret(Form.HASHED, "$0$boat"), True),
        (StoredSecret(Form.MASKED_ELSEWHERE, "8f"), StoredSecret(Form.MASKED_ELSEWHERE, "8f"), True),
        (StoredSecret(Form.MASKED_ELSEWHERE, "8f"), StoredSecret(Form.MASKED_ELSEWHERE, "80"), False),
        (StoredSecret(Form.OPAQUE, "8f"), StoredSecret(Form.OPAQUE, "8f"), True),
        (StoredSecret(Form.OPAQUE, "8f"), StoredSecret(Form.HASHED, "8f"), False),
        (StoredSecret(Form.WITHHELD), StoredSecret(Form.WITHHELD), False),
        (StoredSecret(Form.NONE), StoredSecret(Form.NONE), False),
        (StoredSecret(Form.FACTORY), StoredSecret(Form.FACTORY), False),
    ],
)
def test_which_are_provably_the_same(one: StoredSecret, other: StoredSecret, same: bool) -> None:
    assert the_same(one, other) is same
    assert the_same(other, one) is same


@given(st.sampled_from(Form), TEXT.filter(lambda text: len(text) > 3))
def test_a_stored_password_never_shows_itself(form: Form, text: str) -> None:
    stored = StoredSecret(form, text)
    assert f"{stored}{stored!r}{[stored]}" == f"Stored({form.value})Stored({form.value})[Stored({form.value})]"


def test_what_can_be_read_off() -> None:
    forms = [
        StoredSecret(Form.READABLE, "a"),
        StoredSecret(Form.MASKED, mask("a")),
        StoredSecret(Form.HASHED, "$0$a"),
        StoredSecret(Form.NONE),
    ]
    assert [plain_text(stored) for stored in forms] == ["a", "a", "a", ""]
    assert plain_text(StoredSecret(Form.HASHED, "$1$a$b")) is None
    assert plain_text(StoredSecret(Form.MASKED, "not masked")) is None
