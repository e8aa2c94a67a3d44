"""SSH keys: whether those that a person holds settle a login."""

from overhang.model import Configured, PublicKey
from overhang.simulation.accounts import is_usable
from overhang.simulation.challenge import Answer
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.policies import find_account, said
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.result import FromAttempt, Provenance
from overhang.simulation.views import Account, Endpoint


def _login_said(run: Evaluation, endpoint: Endpoint) -> Configured[str] | None:
    """What says how SSH may be used: a policy, the account, or the service."""
    account = find_account(run, run.attempt.name)
    own = account.user.login if account is not None else None
    return said(run, endpoint, "login") or own or run.resolved.device.ssh.login


def login_word(run: Evaluation, endpoint: Endpoint) -> str:
    """How SSH may be used to log in under the name that is given."""
    ssh = run.resolved.device.ssh
    stated = _login_said(run, endpoint)
    if stated is not None:
        return stated.value
    if ssh.block.doubt is not None:
        options = ("password key", "password", "key", "both")
        return str(run.choose(options, ssh.block.doubt, "how SSH may be used to log in", widest=options[:1]))
    return "password key"


def with_key(run: Evaluation, endpoint: Endpoint, limit: int) -> tuple[Answer | None, int]:
    """The answer where keys, or the lack of them, settle the login, None where the check goes on; and how many keys
    were refused."""
    word = login_word(run, endpoint)
    if word == "password":
        return None, 0
    account = find_account(run, run.attempt.name)
    wanted = 2 if word == "two-keys" else 1
    held, refused = _keys_held(run, account, wanted)
    if len(held) >= wanted and account is not None and is_usable(run, account, "ssh", by_key=True) is None:
        if refused >= limit > 0 and run.settle(run.resolved.facts["refused-key-costs"], "refused-key-costs"):
            return None, refused
        for origin, reason in held:
            run.note(Stage.AUTHENTICATION, reason, origin, account.name)
        if word != "both":
            return Answer("yes", held[-1][0], account=account), refused
        return None, refused
    if word in ("key", "both", "two-keys"):
        stated = _login_said(run, endpoint)
        needed: Provenance = stated.origin if stated is not None else FromAttempt("key")
        reason = Reason.TWO_KEYS_NEEDED if wanted == 2 else Reason.KEY_NEEDED
        run.stop("denied", Stage.AUTHENTICATION, reason, needed)
        return Answer("no", needed), refused
    if run.attempt.keys:
        run.note(Stage.AUTHENTICATION, Reason.KEY_ASIDE, FromAttempt("key"))
    return None, refused


def _keys_held(run: Evaluation, account: Account | None, wanted: int) -> tuple[list[tuple[Provenance, Reason]], int]:
    """The lines of the account's keys and authorities that the person holds and may use here, up to as many as are
    wanted; and how many keys were refused before them."""
    offered = len(run.attempt.keys) + len(run.attempt.certificates)
    if account is None:
        return [], offered
    found: list[tuple[Provenance, Reason]] = []
    places: list[int] = []
    for name, keys in run.resolved.key_items(account):
        key = run.oracle.holds_key(name, keys) if len(found) < wanted else False
        if isinstance(key, PublicKey):
            place = [each[:2] for each in run.attempt.keys].index(key[:2])
            keys = tuple(each for each in keys if each.value[:2] == key[:2])
        usable = next((each for each in keys if _may_be_used(run, account, each)), None) if key else None
        if usable is not None:
            found.append((usable.origin, Reason.KEY_RIGHT))
            places += [place] if isinstance(key, PublicKey) else []
    for name, (given,) in run.resolved.certificate_items(account):
        if len(found) < wanted and run.oracle.holds_certificate(name, given.value, account.name):
            found += [(given.origin, Reason.CERTIFIED)] if _may_be_used(run, account, given) else []
    about = f"whether account {account.name} holds the key offered"
    if not (found or account.keys) and run.attempt.keys and run.maybe(account.block, about):
        found.append((account.origin, Reason.KEY_RIGHT))
        places.append(0)
    if len(found) >= wanted:
        return found, max(places, default=0) - (len(places) - 1 if places else 0)
    return found, offered - len(found)


def _may_be_used(run: Evaluation, account: Account, given: Configured[PublicKey]) -> bool:
    """Whether a key, or an authority, of an account can be used here and now."""
    key = given.value
    kinds = run.resolved.device.ssh.key_kinds
    spoken = (run.attempt.algorithms or {}).get("keys")
    if (kinds is not None and key.kind not in kinds.value) or (spoken is not None and key.kind not in spoken):
        run.note(Stage.AUTHENTICATION, Reason.KEY_NOT_TAKEN, kinds.origin if kinds is not None else given.origin)
        return False
    if key.until is not None and run.attempt.moment.date() > key.until:
        run.note(Stage.AUTHENTICATION, Reason.KEY_EXPIRED, given.origin, account.name)
        return False
    if key.sources is None:
        return True
    limit = Configured(key.sources, given.origin)
    allowed, step = run.allowed_from(limit, f"a key of account {account.name}", Stage.AUTHENTICATION)
    if not allowed:
        run.note(Stage.AUTHENTICATION, Reason.KEY_NOT_FROM, step.origin, account.name)
    return allowed
