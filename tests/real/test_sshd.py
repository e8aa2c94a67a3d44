"""The decision against a server that nobody here wrote: the same sheet, said to OpenSSH, and the same logins."""

import asyncio
import datetime
import random
import tempfile
from collections import Counter
from pathlib import Path

import asyncssh
import pytest

from overhang.language import read_sheet
from overhang.model import PublicKey, parse_address
from overhang.model.verification import hash_text
from overhang.profiles import BUILTIN, KEYS, derive
from overhang.profiles.builtin import DEFAULT
from overhang.simulation import Attempt, ResolvedDevice, decide
from overhang.simulation.result import Certificate
from overhang.stand_in.clients import Errand, Seen, log_in
from tests.real.sshd import missing, serving, with_real_keys

pytestmark = pytest.mark.skipif(bool(missing()), reason=missing())

NOW = datetime.datetime.now(datetime.UTC)
DAY = datetime.timedelta(days=1)
YESTERDAY, TODAY = f"{NOW - DAY:%Y-%m-%d}", f"{NOW:%Y-%m-%d}"
GULL = hash_text("gull", rounds=5_000)
SHEET = f"""\
device quay:
    domain tidewater.example
    profile plain
sources near: allow 127.0.0.9/32
sources others:
    deny 127.0.0.9/32
    allow any
address 127.0.0.1/8: answers ssh
address 127.0.0.2/8: answers ssh
address 127.0.0.3/8: answers nothing
ssh:
    on
    host-key ed25519
entry vty 0-255: check users
user lena:
    password hashed {GULL}
    level 15
    public-key ssh-ed25519 AAAA
    public-key ssh-ed25519 BBBB
user omar: password hashed {GULL}
user ines:
    level 3
    public-key ecdsa-sha2-nistp256 CCCC
user piet: password none
user mara:
    password hashed {GULL}
    public-key ssh-ed25519 AAAA
    disabled
user nils:
    password hashed {GULL}
    public-key ssh-ed25519 AAAA
    expires {YESTERDAY}
user vera:
    password hashed {GULL}
    expires {TODAY}
user joost:
    password hashed {GULL}
    public-key ssh-ed25519 AAAA
    from near
user kaja:
    password hashed {GULL}
    public-key ssh-ed25519 AAAA from others
    public-key ssh-ed25519 BBBB until {YESTERDAY}
user finn:
    password hashed {GULL}
    public-key ssh-ed25519 AAAA
    login both
user runa:
    password hashed {GULL}
    public-key ssh-ed25519 AAAA
    public-key ssh-ed25519 BBBB
    login two-keys
user emil:
    password hashed {GULL}
    public-key ssh-ed25519 AAAA
    login password
user tove:
    password hashed {GULL}
    public-key ssh-ed25519 AAAA
    login key
user rolf: key-authority ssh-ed25519 DDDD
"""
VARIANTS = {
    "as it is": "",
    "few tries": "ssh: tries 2\n",
    "empty passwords": "ssh:\n    empty-passwords yes\n    tries 4\n",
    "keys alone": "ssh: login key\n",
    "key and password": "ssh:\n    login both\n    tries 3\n",
}
#: What a person brings: texts to type, the public keys that they hold ("E" is nobody's), certified or not.
BRINGS: tuple[tuple[tuple[str, ...], str, bool], ...] = (
    ((), "", False),
    (("gull",), "", False),
    (("tern",), "", False),
    (("",), "", False),
    (("tern", "gull"), "", False),
    (("tern", "kelp", "gull"), "", False),
    (("tern",) * 7, "", False),
    ((), "A", False),
    ((), "C", False),
    ((), "E", False),
    ((), "EB", False),
    ((), "AB", False),
    (("gull",), "E", False),
    (("gull",), "A", False),
    (("tern", "gull"), "A", False),
    (("gull",), "AB", False),
    ((), "", True),
    (("gull",), "", True),
)
#: Each variant is proved with so many logins of each outcome, of all that there are.
SHARE = 20


def attempts(
    resolved: ResolvedDevice, held: dict[str, PublicKey], seed: int
) -> list[tuple[Attempt, tuple[str, str, bool]]]:
    chance = random.Random(seed)
    found = []
    for name in (*resolved.device.users, "nobody"):
        for texts, keys, certified in BRINGS:
            for peer, place in (("127.0.0.1", "127.0.0.1"), ("127.0.0.9", "127.0.0.2"), ("127.0.0.9", "127.0.0.3")):
                certificates = (Certificate(held["D"], frozenset({"rolf"})),) if certified else ()
                attempt = Attempt(
                    "ssh", NOW, parse_address(peer), parse_address(place), name, texts,
                    tuple(held[each] for each in keys), certificates=certificates,
                )  # fmt: skip
                found.append((attempt, (place, keys, certified)))
    chance.shuffle(found)
    several: Counter[str] = Counter()
    chosen = []
    for attempt, place in found:
        outcome = decide(resolved, attempt).result.outcome
        several[outcome] += 1
        if several[outcome] <= SHARE:
            chosen.append((attempt, place))
    return chosen


def agrees(seen: Seen, predicted: str, level: int | None) -> bool:
    outcome = "denied" if "Too many authentication failures" in seen.transcript else seen.outcome
    return (outcome, seen.level) == (predicted, level)


@pytest.mark.parametrize("number", range(len(VARIANTS)), ids=list(VARIANTS))
def test_openssh_lets_in_whom_the_decision_lets_in(number: int) -> None:
    changes = list(VARIANTS.values())[number]
    device, pairs = with_real_keys(read_sheet(SHEET + changes, "quay.sheet").device)
    plain = derive(
        "plain", BUILTIN[DEFAULT], {"refused-key-costs": "yes", "unsaid-tries": "6", "empty-password-asked": "no"}, KEYS
    )
    resolved = ResolvedDevice(device, {**BUILTIN, "plain": plain})
    users = device.users
    held = {
        "A": users["lena"].public_keys[0].value,
        "B": users["lena"].public_keys[1].value,
        "C": users["ines"].public_keys[0].value,
        "D": users["rolf"].authorities[0].value,
    }
    held = {name: PublicKey(each.kind, each.data) for name, each in held.items()}
    stranger = asyncssh.generate_private_key("ssh-ed25519")
    held["E"] = PublicKey("ssh-ed25519", stranger.public_data)
    pairs[held["E"][:2]] = stranger
    made = attempts(resolved, held, number)

    async def prove(port: int) -> list[str]:
        few = asyncio.Semaphore(6)

        async def one(attempt: Attempt, place: str, keys: str, certified: bool) -> str:
            own = [pairs[held[each][:2]] for each in keys]
            if certified:
                key = asyncssh.generate_private_key("ssh-ed25519")
                own = [(key, pairs[held["D"][:2]].generate_user_certificate(key, "x", principals=["rolf"]))]  # type: ignore[list-item]
            errand = Errand("ssh", place, port, str(attempt.source), attempt.name, attempt.passwords, tuple(own))
            async with few:
                seen = await log_in(errand)
            result = decide(resolved, attempt).result
            counted[result.outcome] += 1
            if agrees(seen, result.outcome, result.level):
                return ""
            return f"{attempt.name} {attempt.source}>{place} {attempt.passwords} {keys} {certified}: {result.outcome} {result.level} {result.reason}; {seen}"

        return [each for each in await asyncio.gather(*(one(attempt, *rest) for attempt, rest in made)) if each]

    counted: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        with serving(resolved, pairs, Path(folder)) as port:
            differing = asyncio.run(prove(port))
    assert not differing, "\n".join(differing)
    assert min(counted["admitted"], counted["denied"], counted["refused"]) > 2, counted
    assert sum(counted.values()) > 35
