"""The work of a run on a cluster: the same report, whoever does it, dies over it, or must not see it."""

import datetime
import json
import os
import signal
import subprocess
import sys
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

import pytest

from overhang.api import audit_paths
from overhang.demo import demo_files
from overhang.fleet import cluster as cluster_module
from overhang.fleet.cluster import Cluster, ClusterProblem, Parcel, work
from overhang.fleet.gather import ALONE, Sharing
from overhang.loading import Found, Loader, Projects
from overhang.project.loader import BadProject
from overhang.report.audit_json import audit_json
from overhang.teach.trust import digest_of
from overhang.version import VERSION
from tests.conftest import Ran
from tests.support.fleet import lay_out_mixed

NOW = datetime.datetime(2026, 11, 26, 7, tzinfo=datetime.UTC)
DIALECT = """
name = "quay"
about = "the quay's language"
step = true
[recognise]
files = ["*.quay"]
[layout]
form = "indented"
[blocks]
who = { head = "who {who}", means = "user {who}:" }
[[translate]]
inside = "who"
line = "rank {n:level}"
means = "user {who}: level {n}"
"""
STEP = b"""def read(tree, device):
    for each in tree.select("who"):
        for rank in each.select("rank"):
            rank.take()
    return tree
"""


IN_THE_CLEAR = "configurations and their secrets would travel in the clear; use tls://"
EXPECTED = "expected tls://HOST:PORT, or tcp://127.0.0.1:PORT"


def started(*tls: str) -> tuple[subprocess.Popen[str], str, list[int]]:
    """A cluster of two workers: its process, its address, and the processes of its workers' keepers."""
    program = [sys.executable, str(Path(__file__).with_name("cluster_of_two.py")), *tls]
    process = subprocess.Popen(
        program, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    assert process.stdout is not None
    address, *workers = process.stdout.readline().split()
    return process, address, [int(each) for each in workers]


def ended(process: subprocess.Popen[str]) -> None:
    process.communicate(timeout=60)


pytestmark = pytest.mark.filterwarnings("ignore")


@pytest.fixture(scope="module")
def fleet(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Devices, some below a project, some through dialects, one with a step, and files that are no devices."""
    folder = tmp_path_factory.mktemp("fleet")
    lay_out_mixed(folder)
    (folder / "quay.dialect.toml").write_text(DIALECT)
    (folder / "quay.dialect.py").write_bytes(STEP)
    (folder / "ramp.quay").write_text("who lena\n  rank 3\n")
    for path, data in demo_files().items():
        if "story" not in path:
            (folder / "demo" / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / "demo" / path).write_bytes(data)
    return folder


def loader() -> Loader:
    return Loader(Projects(), trusted=[digest_of(STEP)])


def report(folder: Path, sharing: Sharing = ALONE) -> str:
    return audit_json(audit_paths([str(folder)], loader(), NOW, sharing=sharing))


@pytest.fixture(scope="module")
def plain() -> Iterator[tuple[str, int]]:
    """The address of a cluster, and the process of one of its workers."""
    process, address, workers = started()
    yield address, workers[0]
    ended(process)


@pytest.fixture(scope="module")
def alone(fleet: Path) -> str:
    found = report(fleet)
    (ramp,) = (each for each in json.loads(found)["devices"] if each["file"].endswith("ramp.quay"))
    assert ramp["reader"] == "dialect quay"
    return found


@pytest.mark.parametrize("shared", [False, True])
def test_a_cluster_says_the_same(fleet: Path, alone: str, plain: tuple[str, int], shared: bool) -> None:
    assert report(fleet, Sharing(cluster=Cluster(plain[0], shared))) == alone


def test_a_worker_that_dies_in_the_middle_changes_nothing(fleet: Path, alone: str, plain: tuple[str, int]) -> None:
    address, worker = plain

    def killing(found: list[Found]) -> Iterable[Found]:
        for place, each in enumerate(found):
            if place == 20:
                os.kill(worker, signal.SIGKILL)
            yield each

    found = audit_paths([str(fleet)], loader(), NOW, killing, sharing=Sharing(cluster=Cluster(address)))
    assert audit_json(found) == alone
    with pytest.raises(ProcessLookupError):
        os.kill(worker, 0)


def test_a_project_that_cannot_be_used_is_told_by_whoever_reads_it(tmp_path: Path, plain: tuple[str, int]) -> None:
    (tmp_path / "quay.sheet").write_text("device quay\n")
    (tmp_path / "overhang.toml").write_text("berths = 3\n")
    told = []
    for shared in (False, True):
        with pytest.raises(BadProject) as raised:
            report(tmp_path, Sharing(cluster=Cluster(plain[0], shared)))
        told.append((raised.value.file, raised.value.problems))
    assert told[0][0] == str(tmp_path / "overhang.toml")
    assert told[0] == told[1]


@pytest.mark.parametrize(
    ("address", "message"),
    [
        ("tcp://192.0.2.7:8786", f"--scheduler tcp://192.0.2.7:8786: {IN_THE_CLEAR}"),
        ("quay:8786", f"--scheduler quay:8786: {IN_THE_CLEAR}"),
        ("quay", f"--scheduler quay: {EXPECTED}"),
        ("http://127.0.0.1:8786", f"--scheduler http://127.0.0.1:8786: {EXPECTED}"),
        ("tls://[2001:db8::1", f"--scheduler tls://[2001:db8::1: {EXPECTED}"),
        ("tls://127.0.0.1:1", "tls://127.0.0.1:1: TLS needs distributed.comm.tls.ca-file in Dask's configuration"),
        ("127.0.0.1:1", "127.0.0.1:1: no scheduler answers there: Connection refused"),
    ],
)
def test_an_address_that_is_of_no_use_is_told(
    overhang: Callable[..., Ran], tmp_path: Path, address: str, message: str
) -> None:
    (tmp_path / "quay.sheet").write_text("device quay\n")
    done = overhang("audit", "quay.sheet", "--scheduler", address)
    assert done == Ran(2, "", f"overhang: {message}\n")


def certificates(folder: Path) -> list[str]:
    """An authority, and a certificate with its key that it has signed: their files."""
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec

    def made(name: str, issuer: x509.Name | None, signer: ec.EllipticCurvePrivateKey | None) -> x509.Name:
        key = ec.generate_private_key(ec.SECP256R1())
        subject = x509.Name([x509.NameAttribute(x509.oid.NameOID.COMMON_NAME, name)])
        today = datetime.datetime.now(datetime.UTC)
        building = x509.CertificateBuilder().subject_name(subject).issuer_name(issuer or subject)
        building = building.public_key(key.public_key()).serial_number(x509.random_serial_number())
        building = building.not_valid_before(today - datetime.timedelta(1)).not_valid_after(
            today + datetime.timedelta(1)
        )
        building = building.add_extension(x509.BasicConstraints(issuer is None, None), critical=True)
        signed = building.sign(signer or key, hashes.SHA256())
        (folder / f"{name}.pem").write_bytes(signed.public_bytes(serialization.Encoding.PEM))
        form = (serialization.PrivateFormat.TraditionalOpenSSL, serialization.NoEncryption())
        (folder / f"{name}.key").write_bytes(key.private_bytes(serialization.Encoding.PEM, *form))
        keys[name] = key
        return subject

    keys: dict[str, ec.EllipticCurvePrivateKey] = {}
    issuer = made("authority", None, None)
    made("pilot", issuer, keys["authority"])
    return [str(folder / each) for each in ("authority.pem", "pilot.pem", "pilot.key")]


def test_tls_takes_certificates_of_both_sides(
    overhang: Callable[..., Ran], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "ours").mkdir()
    (tmp_path / "others").mkdir()
    (tmp_path / "quay.sheet").write_text("device quay\n")
    ours, others = certificates(tmp_path / "ours"), certificates(tmp_path / "others")
    process, address, _ = started(*ours)
    assert address.startswith("tls://")
    words = ("audit", "quay.sheet", "--scheduler", address, "--format", "json", "--now", "2026-11-26T07:00:00Z")

    def told(ca: str, certificate: str, key: str) -> Ran:
        for name, file in (("CA_FILE", ca), ("CLIENT__CERT", certificate), ("CLIENT__KEY", key)):
            monkeypatch.setenv(f"DASK_DISTRIBUTED__COMM__TLS__{name}", file)
        return overhang(*words)

    try:
        right, plain = told(*ours), overhang(*words[:2], *words[4:])
        assert (right.code, right.out, right.err) == (plain.code, plain.out, plain.err)
        for wrong in ([others[0], *ours[1:]], [ours[0], *others[1:]]):
            done = told(*wrong)
            assert (done.code, done.out) == (2, "")
            assert done.err.startswith(f"overhang: {address}: no scheduler answers there")  # why is OpenSSL's to say
            assert done.err.count("\n") == 1
        bare = overhang("audit", "quay.sheet", "--scheduler", address.replace("tls", "tcp"))
        assert (bare.code, bare.out) == (2, "")
    finally:
        ended(process)


def test_work_goes_to_none_that_could_be_overheard(monkeypatch: pytest.MonkeyPatch, plain: tuple[str, int]) -> None:
    monkeypatch.setattr(cluster_module, "_safe", lambda address: address == plain[0])
    with pytest.raises(ClusterProblem, match="is on another machine and does not speak TLS"):
        report(Path("quay.sheet"), Sharing(cluster=Cluster(plain[0])))


def test_what_travels_shows_nothing_and_another_version_is_told() -> None:
    parcel = Parcel(("password readable Kipper-77",))
    assert (str(parcel), parcel.open()) == ("a parcel", ("password readable Kipper-77",))
    raised = work("0.0", parcel).open().raised
    assert str(raised) == f"a worker has Overhang {VERSION}, and this is 0.0: install the same on all machines"
