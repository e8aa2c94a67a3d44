"""What opens a stored password, and which two stored passwords are provably the same.

Answers are True, False, or None for "unknown". The libraries are imported on the first hash, since most
runs meet none.
"""

import re
import warnings
from collections.abc import Iterable
from functools import lru_cache
from typing import Any, TypeVar

from overhang.model.masking import unmask
from overhang.model.stored_secret import Form, StoredSecret

T = TypeVar("T")
#: So many pairs of a clear text and a hash are compared; a comparison takes milliseconds.
_MOST_TRIES = 500

#: Modular crypt prefixes, what the scheme is called, and the handler that verifies it (RFC 7317 names the first three).
_SCHEMES: tuple[tuple[str, str, str | None], ...] = (
    ("$1$", "MD5 crypt", "md5_crypt"),
    ("$5$", "SHA-256 crypt", "sha256_crypt"),
    ("$6$", "SHA-512 crypt", "sha512_crypt"),
    ("$2a$", "bcrypt", "bcrypt"),
    ("$2b$", "bcrypt", "bcrypt"),
    ("$2y$", "bcrypt", "bcrypt"),
    ("$y$", "yescrypt", None),
    ("$pbkdf2$", "PBKDF2-SHA1", "pbkdf2_sha1"),
    ("$pbkdf2-sha256$", "PBKDF2-SHA256", "pbkdf2_sha256"),
    ("$pbkdf2-sha512$", "PBKDF2-SHA512", "pbkdf2_sha512"),
    ("$scrypt$", "scrypt", "scrypt"),
    ("$argon2i$", "Argon2", "argon2"),
    ("$argon2d$", "Argon2", "argon2"),
    ("$argon2id$", "Argon2", "argon2"),
)

#: Costs above these are not worked out, so that one hostile line cannot stop a run: rounds, 2^cost, KiB of memory.
_MOST_ROUNDS = 2_000_000
_MOST_LOG2 = 18
_MOST_MEMORY = 1_048_576
_COSTS = re.compile(
    r"\$[156]\$rounds=(?P<rounds>\d+)\$"
    r"|\$2[aby]\$(?P<log2>\d+)\$"
    r"|\$pbkdf2[a-z0-9-]*\$(?P<iterations>\d+)\$"
    r"|\$scrypt\$ln=(?P<ln>\d+),r=(?P<r>\d+),p=(?P<p>\d+)\$"
    r"|\$argon2[id]{1,2}\$(?:v=\d+\$)?m=(?P<memory>\d+),t=(?P<passes>\d+),p=\d+\$"
)
_YESCRYPT = re.compile(r"\$y\$[./A-Za-z0-9]{1,12}\$[./A-Za-z0-9]{1,86}\$[./A-Za-z0-9]{43}")

#: Well-formed hashes that the C library answers for, ten times as fast as importing anything.
_IN_C = re.compile(
    r"\$1\$[./A-Za-z0-9]{1,8}\$[./A-Za-z0-9]{22}"
    r"|\$5\$[./A-Za-z0-9]{1,16}\$[./A-Za-z0-9]{43}"
    r"|\$6\$[./A-Za-z0-9]{1,16}\$[./A-Za-z0-9]{86}"
)


def scheme_of(text: str) -> str | None:
    """The name of the hash scheme of a modular crypt text, or None where it is of no known one."""
    return next((name for prefix, name, _ in _SCHEMES if text.startswith(prefix)), None)


#: How a hash of a kind is formed; of other kinds nothing is said.
_FORMS = {
    "MD5 crypt": re.compile(r"\$1\$[^$:\n]{0,8}\$[./A-Za-z0-9]{22}"),
    "SHA-256 crypt": re.compile(r"\$5\$(rounds=[0-9]+\$)?[^$:\n]{0,16}\$[./A-Za-z0-9]{43}"),
    "SHA-512 crypt": re.compile(r"\$6\$(rounds=[0-9]+\$)?[^$:\n]{0,16}\$[./A-Za-z0-9]{86}"),
    "bcrypt": re.compile(r"\$2[aby]\$[0-3][0-9]\$[./A-Za-z0-9]{53}"),
    "yescrypt": _YESCRYPT,
}


def malformed(stored: StoredSecret) -> bool:
    """Whether a stored hash is of a known kind and not formed as that kind is, so that no password can match it."""
    form = _FORMS.get(scheme_of(stored.text) or "") if stored.form is Form.HASHED else None
    return form is not None and form.fullmatch(stored.text) is None


def plain_text(stored: StoredSecret) -> str | None:
    """The password itself where the configuration discloses it, else None."""
    if stored.form is Form.READABLE:
        return stored.text
    if stored.form is Form.MASKED:
        try:
            return unmask(stored.text)
        except ValueError:
            return None
    if stored.form is Form.HASHED and stored.text.startswith("$0$"):
        return stored.text[3:]
    return "" if stored.form is Form.NONE else None


def opens(stored: StoredSecret, typed: str) -> bool | None:
    """Whether ``typed`` opens ``stored``; a factory password is known to everybody and opened by any text."""
    if stored.form is Form.FACTORY:
        return True
    plain = plain_text(stored)
    if plain is not None:
        return plain == typed
    if stored.form is Form.HASHED:
        return _verify(stored.text, typed)
    return None


def the_same(one: StoredSecret, other: StoredSecret) -> bool:
    """Whether two stored passwords are provably equal: equal text behind any forms, or equal one-way text."""
    if Form.WITHHELD in (one.form, other.form) or Form.NONE in (one.form, other.form):
        return False
    if one.form is other.form is Form.FACTORY:
        return True
    if one.form is other.form and one.text == other.text:
        return one.form is not Form.FACTORY
    plains = plain_text(one), plain_text(other)
    if plains[0] is not None and plains[1] is not None:
        return plains[0] == plains[1]
    if plains[0] is not None and other.form is Form.HASHED:
        return _verify(other.text, plains[0]) is True
    if plains[1] is not None and one.form is Form.HASHED:
        return _verify(one.text, plains[1]) is True
    return False


def hash_text(text: str) -> str:
    """A fresh salted SHA-512 crypt hash of ``text``."""
    return str(_handler("sha512_crypt").hash(text))


@lru_cache(maxsize=4096)
def _verify(text: str, typed: str) -> bool | None:
    if _too_costly(text):
        return None
    name = next((handler for prefix, _, handler in _SCHEMES if text.startswith(prefix)), None)
    if name is None:
        return _verify_with_system(text, typed) if text.startswith("$y$") else None
    if _IN_C.fullmatch(text):
        answer = _verify_with_system(text, typed)
        if answer is not None:
            return answer
    if "\0" in typed or (name == "bcrypt" and len(typed.encode("utf-8", "surrogatepass")) > 72):
        return None  # the schemes disagree on what such a password means
    try:
        return bool(_handler(name).verify(typed, text))
    except (ValueError, TypeError, UnicodeError, RuntimeError):
        return None  # not a well-formed hash, or a scheme whose library is not here


def _too_costly(text: str) -> bool:
    found = _COSTS.match(text)
    if found is None:
        return False
    cost = {name: int(value[:18]) for name, value in found.groupdict().items() if value is not None}
    if max(cost.get("log2", 0), cost.get("ln", 0)) > _MOST_LOG2:
        return True
    memory = (cost.get("r", 0) << cost.get("ln", 0)) // 8 * max(1, cost.get("p", 1))
    memory = max(memory, cost.get("memory", 0) * max(1, cost.get("passes", 1)) // 4)
    return max(cost.get("rounds", 0), cost.get("iterations", 0)) > _MOST_ROUNDS or memory > _MOST_MEMORY


@lru_cache(maxsize=16)
def _handler(name: str) -> Any:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)
        import passlib.hash

        return getattr(passlib.hash, name)


def _verify_with_system(text: str, typed: str) -> bool | None:
    """Ask the C library, which knows yescrypt on many systems; None where it does not or Python no longer offers it."""
    if not (_YESCRYPT.fullmatch(text) or _IN_C.fullmatch(text)) or "\0" in typed:
        return None
    try:
        from _crypt import crypt  # the module around it tries every method of the system when it is imported

        answer = crypt(typed, text)
    except (ImportError, OSError, ValueError, UnicodeError):
        return None
    if not answer or answer.startswith("*"):
        return None
    return bool(answer == text)


def groups_of_equal(secrets: Iterable[tuple[T, StoredSecret | None]]) -> tuple[list[list[T]], int]:
    """Things with stored passwords, grouped by provably equal passwords; and how many comparisons were left out.

    Equal texts, behind any form, are found at once. Then each distinct hash is tried with each distinct clear text, up
    to a limit, since a try takes milliseconds. What has no password (None), an unknown or an empty one stands alone.
    """
    groups: dict[object, list[tuple[T, StoredSecret | None]]] = {}
    for number, (thing, stored) in enumerate(secrets):
        groups.setdefault(_equality_key(stored, number), []).append((thing, stored))
    plains = [key for key in groups if isinstance(key, tuple) and key[0] == "plain"]
    hashes = [key for key in groups if isinstance(key, tuple) and key[0] == Form.HASHED.value]
    tries = untried = 0
    for hashed in hashes:
        for plain in plains:
            if tries == _MOST_TRIES:
                untried += 1
                continue
            tries += 1
            one, other = groups[plain][0][1], groups[hashed][0][1]
            if one is not None and other is not None and the_same(one, other):
                groups[plain] += groups.pop(hashed)
                break
    return [[thing for thing, _ in group] for group in groups.values()], untried


def _equality_key(stored: StoredSecret | None, number: int) -> object:
    if stored is None or stored.form in (Form.WITHHELD, Form.NONE, Form.FACTORY):
        return number
    plain = plain_text(stored)
    if plain:
        return "plain", plain
    return number if plain == "" else (stored.form.value, stored.text)
