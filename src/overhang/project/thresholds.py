"""The measures that rules compare with, in one table that reads them and says where their defaults come from."""

from typing import Any, NamedTuple

from overhang.model.durations import parse_span


def _read_span(value: Any) -> int:
    if not isinstance(value, str):
        raise ValueError('expected a duration like "10m"')
    return parse_span(value)


def _read_number(value: Any) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value <= 1_000_000:
        raise ValueError("expected a whole number from 0 to 1000000")
    return value


def _read_level(value: Any) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value <= 15:
        raise ValueError("expected a level from 0 to 15")
    return value


class Thresholds(NamedTuple):
    """See the table below; durations in seconds, 0 for "not asked for" where the table says so."""

    idle: int = 600
    rsa_bits: int = 2048
    ecdsa_bits: int = 256
    ssh_tries: int = 5
    ssh_finish: int = 90
    password_length: int = 15
    password_classes: int = 0
    password_memory: int = 0
    password_age: int = 0
    password_warning: int = 0
    failures: int = 100
    certificate_days: int = 30
    shared_by: int = 3
    peers: int = 3
    guess: int | None = None
    reads: int = 15


class Threshold(NamedTuple):
    """One measure: its key in the project file, how it is read, what it is, and where its default comes from."""

    key: str
    read: Any
    about: str
    source: str

    @property
    def field(self) -> str:
        """Its field in ``Thresholds``."""
        return self.key.replace("-", "_")


THRESHOLDS: tuple[Threshold, ...] = (
    Threshold(
        "idle",
        _read_span,
        "the longest idle timeout",
        "NIST SP 800-53 AC-11 and SC-10 ask for a limit and leave its length to the organisation",
    ),
    Threshold(
        "rsa-bits",
        _read_number,
        "the smallest RSA key, of SSH and of certificates",
        "NIST SP 800-131A: 112 bits of strength",
    ),
    Threshold("ecdsa-bits", _read_number, "the smallest ECDSA key", "NIST SP 800-131A"),
    Threshold(
        "ssh-tries",
        _read_number,
        "wrong answers that one SSH connection may give",
        "NIST SP 800-53 AC-7; the number is ours",
    ),
    Threshold(
        "ssh-finish",
        _read_span,
        "the longest time to complete an SSH login",
        "RFC 4252 section 4 recommends a limit; 10 minutes is its longest; the number is ours",
    ),
    Threshold(
        "password-length",
        _read_number,
        "the shortest password that a device should take",
        "NIST SP 800-63B-4: 15 characters for a password that stands alone",
    ),
    Threshold(
        "password-classes", _read_number, "classes of characters; 0: not required", "NIST SP 800-63B-4 asks for none"
    ),
    Threshold(
        "password-memory",
        _read_number,
        "earlier passwords that cannot be reused; 0: not required",
        "NIST SP 800-63B-4 asks for none",
    ),
    Threshold(
        "password-age",
        _read_span,
        "the longest age of a password; not required unless set",
        "NIST SP 800-63B-4 advises against it",
    ),
    Threshold(
        "password-warning",
        _read_span,
        "the least warning before a password expires; not required unless set",
        "follows password-age",
    ),
    Threshold(
        "failures",
        _read_number,
        "wrong passwords in a row before an account must lock",
        "NIST SP 800-63B-4: no more than 100",
    ),
    Threshold(
        "certificate-days",
        _read_number,
        "a certificate that expires within so many days expires soon",
        "ours: a month to replace it",
    ),
    Threshold("shared-by", _read_number, "devices that may share a secret", "NIST SP 800-53 IA-5; the number is ours"),
    Threshold(
        "peers",
        _read_number,
        "so many other devices of a kind and site must agree before one is reported as different",
        "ours",
    ),
    Threshold(
        "guess",
        _read_number,
        "what trying passwords against hashes may cost in a run, in units of about a millisecond of a common hash; "
        "unless set, 1000 a device, and less where there are more than two dozen",
        "ours: a second a device, two seconds a run of many",
    ),
    Threshold(
        "reads",
        _read_level,
        "the lowest level that may read a configuration, for `overhang spread`",
        "ours: the highest level, unless you know better",
    ),
)
