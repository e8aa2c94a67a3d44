"""What opens a stored password, and what it costs to find that out.

Answers are True, False, or None for "unknown". The libraries are imported on the first hash, since most
runs meet none.
"""

import re
import warnings
from collections.abc import Callable
from functools import lru_cache
from typing import Any

from overhang.model.masking import unmask
from overhang.model.stored_secret import Form, StoredSecret

#: Modular crypt prefixes, what the scheme is called, and the handler that verifies it (RFC 7317 names the first three).
_SCHEMES: tuple[tuple[str, str, str | None], ...] = (
    ("$1$", "MD5 crypt", "md5_crypt"),
    ("$5$", "SHA-256 crypt", "sha256_crypt"),
    ("$6$", "SHA-512 crypt", "sha512_crypt"),
    ("$2a$", "bcrypt", "bcrypt"),
    ("$2b$", "bcrypt", "bcrypt"),
    ("$2y$", "bcrypt", "bcrypt"),
    ("$y$", "yescrypt", None),
    ("$gy$", "gost-yescrypt", None),
    ("$sha1$", "SHA-1 crypt", None),
    ("$pbkdf2$", "PBKDF2-SHA1", "pbkdf2_sha1"),
    ("$pbkdf2-sha256$", "PBKDF2-SHA256", "pbkdf2_sha256"),
    ("$pbkdf2-sha512$", "PBKDF2-SHA512", "pbkdf2_sha512"),
    ("$scrypt$", "scrypt", "scrypt"),
    ("$argon2i$", "Argon2", "argon2"),
    ("$argon2d$", "Argon2", "argon2"),
    ("$argon2id$", "Argon2", "argon2"),
)

#: What one try of a common hash costs, in units of about a millisecond: the schemes' cost is in their texts (_COSTS).
_UNITS = {"DES crypt": 1, "MD5 crypt": 1, "SHA-256 crypt": 4, "SHA-512 crypt": 4}
#: More than this is not spent on one password that somebody typed, in units, nor so much memory, in KiB.
_MOST_UNITS = 2_000
COMMON_MEMORY = 100 * 1024
#: No try costs more, whoever asks: a hostile line states rounds without bounds.
_NEVER = 1_000_000
_NEVER_MEMORY = 2 * 1024 * 1024
_ROUNDS_OF_SHA = 5_000
_COSTS = re.compile(
    r"\$[156]\$rounds=(?P<rounds>\d+)\$"
    r"|\$2[aby]\$(?P<log2>\d+)\$"
    r"|\$pbkdf2[a-z0-9-]*\$(?P<iterations>\d+)\$"
    r"|\$scrypt\$ln=(?P<ln>\d+),r=(?P<r>\d+),p=(?P<p>\d+)\$"
    r"|\$argon2[id]{1,2}\$(?:v=\d+\$)?m=(?P<memory>\d+),t=(?P<passes>\d+),p=\d+\$"
    r"|\$sha1\$(?P<iterations_of_sha1>\d+)\$"
    r"|\$g?y\$j(?P<yn>[./0-9A-Za-z])(?P<yr>[./0-9A-Za-z])\$"
)
_DIGITS = "./0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz"
_YESCRYPT = re.compile(r"\$g?y\$[./A-Za-z0-9]{1,12}\$[./A-Za-z0-9]{1,86}\$[./A-Za-z0-9]{43}")

#: Well-formed hashes that the C library answers for, ten times as fast as importing anything.
_IN_C = re.compile(
    r"\$1\$[./A-Za-z0-9]{1,8}\$[./A-Za-z0-9]{22}"
    r"|\$5\$(?:rounds=[1-9]\d{3,8}\$)?[./A-Za-z0-9]{1,16}\$[./A-Za-z0-9]{43}"
    r"|\$6\$(?:rounds=[1-9]\d{3,8}\$)?[./A-Za-z0-9]{1,16}\$[./A-Za-z0-9]{86}"
)


#: The oldest form has no prefix: two signs of salt, and eleven of hash.
_DES = re.compile(r"[./0-9A-Za-z]{13}")
_SHA1 = re.compile(r"\$sha1\$[1-9][0-9]{0,9}\$[./0-9A-Za-z]{1,64}\$[./0-9A-Za-z]{28}")
#: Forms that the C library alone answers for.
_BY_SYSTEM = ("DES crypt", "yescrypt", "gost-yescrypt", "SHA-1 crypt")


def scheme_of(text: str) -> str | None:
    """The name of the hash scheme of a modular crypt text, or None where it is of no known one."""
    found = next((name for prefix, name, _ in _SCHEMES if text.startswith(prefix)), None)
    return "DES crypt" if found is None and _DES.fullmatch(text) else found


#: How a hash of a kind is formed; of other kinds nothing is said.
_FORMS = {
    "MD5 crypt": re.compile(r"\$1\$[^$:\n]{0,8}\$[./A-Za-z0-9]{22}"),
    "SHA-256 crypt": re.compile(r"\$5\$(rounds=[0-9]+\$)?[^$:\n]{0,16}\$[./A-Za-z0-9]{43}"),
    "SHA-512 crypt": re.compile(r"\$6\$(rounds=[0-9]+\$)?[^$:\n]{0,16}\$[./A-Za-z0-9]{86}"),
    "bcrypt": re.compile(r"\$2[aby]\$[0-3][0-9]\$[./A-Za-z0-9]{53}"),
    "yescrypt": _YESCRYPT,
    "gost-yescrypt": _YESCRYPT,
    "SHA-1 crypt": _SHA1,
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


def opens(stored: StoredSecret, typed: str, most: int | None = _MOST_UNITS) -> bool | None:
    """Whether ``typed`` opens ``stored``; a factory password is known to everybody and opened by any text.

    It is unknown where trying costs more than ``most`` units, or much memory; None: where no try may cost so much.
    """
    if stored.form is Form.FACTORY:
        return True
    if stored.form is Form.UNOPENABLE:
        return False
    plain = plain_text(stored)
    if plain is not None:
        return plain == typed
    if stored.form is Form.HASHED:
        cost, memory = cost_of(stored.text)
        too_much = cost > _NEVER or memory > _NEVER_MEMORY
        if too_much or (most is not None and (cost > most or memory > COMMON_MEMORY)):
            return None
        return _verify(stored.text, typed)
    return None


def hash_text(text: str, rounds: int | None = None) -> str:
    """A fresh salted SHA-512 crypt hash of ``text``; ``rounds``: how often it is hashed, by default as often as is
    advised."""
    handler = _handler("sha512_crypt")
    return str((handler if rounds is None else handler.using(rounds=rounds)).hash(text))


@lru_cache(maxsize=4096)
def _verify(text: str, typed: str) -> bool | None:
    name = next((handler for prefix, _, handler in _SCHEMES if text.startswith(prefix)), None)
    if scheme_of(text) in _BY_SYSTEM:
        return _verify_with_system(text, typed)
    if name is None:
        return None
    if _IN_C.fullmatch(text):
        answer = _verify_with_system(text, typed)
        if answer is not None:
            return answer
    if "\0" in typed:
        return None  # the schemes disagree on what such a password means
    if name == "bcrypt" and len(typed.encode("utf-8", "surrogatepass")) > 72:
        return _verify_with_system(text, typed)  # what lies beyond 72 bytes counts for some and not for others
    try:
        return bool(_handler(name).verify(typed, text))
    except (ValueError, TypeError, UnicodeError, RuntimeError):
        return None  # not a well-formed hash, or a scheme whose library is not here


@lru_cache(maxsize=1024)
def cost_of(text: str) -> tuple[int, int]:
    """What one try of a hash costs: units of about a millisecond of a common one, and KiB of memory.

    It is reckoned from what the text states of itself. What states nothing that is known costs more than any try may.
    """
    scheme = scheme_of(text)
    found = _COSTS.match(text)
    if found is None:
        return (_UNITS[scheme], 0) if scheme in _UNITS else (_NEVER + 1, 0) if scheme in _BY_SYSTEM else (1, 0)
    cost = {name: value[:18] for name, value in found.groupdict().items() if value is not None}
    if "rounds" in cost:
        return 1 + _UNITS.get(scheme or "", 4) * int(cost["rounds"]) // _ROUNDS_OF_SHA, 0
    if "iterations" in cost or "iterations_of_sha1" in cost:
        return 1 + int(cost.get("iterations") or cost["iterations_of_sha1"]) // 1_000, 0
    if "log2" in cost:
        return 1 + (1 << min(int(cost["log2"]), 40)) // 20, 4
    if "memory" in cost:
        return 1 + int(cost["memory"]) * int(cost["passes"]) // 1_000, int(cost["memory"])
    if "yn" in cost:
        memory = (_DIGITS.index(cost["yr"]) + 1) << min(_DIGITS.index(cost["yn"]) + 1, 40) >> 3
        return 1 + memory // 400, memory
    memory = int(cost["r"]) << min(int(cost["ln"]), 40) >> 3
    return 1 + memory * max(1, int(cost["p"])) // 400, memory


@lru_cache(maxsize=16)
def _handler(name: str) -> Any:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)
        import passlib.hash

        return getattr(passlib.hash, name)


def _verify_with_system(text: str, typed: str) -> bool | None:
    """Ask the C library, which knows more forms than any package; None where it does not know this one."""
    formed = (_YESCRYPT, _IN_C, _DES, _SHA1, _FORMS["bcrypt"])
    crypt = _crypt_of_system()
    if crypt is None or "\0" in typed or not any(each.fullmatch(text) for each in formed):
        return None
    try:
        answer = crypt(typed, text)
    except (OSError, ValueError, UnicodeError):
        return None
    if not answer or answer.startswith("*"):
        return None
    return bool(answer == text)


@lru_cache(maxsize=1)
def _crypt_of_system() -> Callable[[str, str], str | None] | None:
    """The C library's function, through the module that Python 3.12 still has, else by itself; None without one."""
    try:
        from _crypt import crypt  # the module around it tries every method of the system when it is imported
    except ImportError:
        return _crypt_by_itself()
    return crypt  # type: ignore[no-any-return]


def _crypt_by_itself() -> Callable[[str, str], str | None] | None:
    import ctypes
    import ctypes.util

    name = ctypes.util.find_library("crypt")
    if name is None:
        return None
    try:
        function = ctypes.CDLL(name).crypt
    except (OSError, AttributeError):
        return None
    function.argtypes, function.restype = (ctypes.c_char_p, ctypes.c_char_p), ctypes.c_char_p

    def crypt(typed: str, text: str) -> str | None:
        made: bytes | None = function(typed.encode(), text.encode())
        return None if made is None else made.decode("ascii", "replace")

    return crypt
