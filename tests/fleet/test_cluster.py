"""The work of a run on a cluster: the same report, whoever does it, dies over it, or must not see it."""

import datetime
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
from tests.conftest import Ran
from tests.support.fleet import lay_out

NOW = datetime.datetime(2026, 11, 26, 7, tzinfo=datetime.UTC)
PROJECT = 'management = ["office"]\n[networks]\noffice = ["10.64.0.0/17"]\n[thresholds]\nguess = 100\n'


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
    lay_out(folder, 60, 12)
    for path, data in demo_files().items():
        if "story" not in path:
            (folder / "demo" / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / "demo" / path).write_bytes(data)
    (folder / "site").mkdir()
    (folder / "site" / "overhang.toml").write_text(PROJECT)
    for number in range(0, 12, 2):
        (folder / f"d{number:05d}.sheet").rename(folder / "site" / f"d{number:05d}.sheet")
    (folder / "a.bin").write_bytes(bytes(range(256)))
    (folder / "b.sheet").write_bytes(b"device \xff\xfe")
    (folder / "e.sheet").symlink_to("gone")
    return folder


def report(folder: Path, sharing: Sharing = ALONE) -> str:
    return audit_json(audit_paths([str(folder)], Loader(Projects()), NOW, sharing=sharing))


@pytest.fixture(scope="module")
def plain() -> Iterator[tuple[str, int]]:
    """The address of a cluster, and the process of one of its workers."""
    process, address, workers = started()
    yield address, workers[0]
    ended(process)


@pytest.fixture(scope="module")
def alone(fleet: Path) -> str:
    return report(fleet)


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

    found = audit_paths([str(fleet)], Loader(Projects()), NOW, killing, sharing=Sharing(cluster=Cluster(address)))
    assert audit_json(found) == alone
    with pytest.raises(ProcessLookupError):
        os.kill(worker, 0)


def test_a_project_that_cannot_be_used_is_told_by_whoever_reads_it(tmp_path: Path, plain: tuple[str, int]) -> None:
    (tmp_path / "quay.sheet").write_text("device quay\n")
    (tmp_path / "overhang.toml").write_text("berths = 3\n")
    for shared in (False, True):
        with pytest.raises(BadProject, match=r":1: .*: unknown key"):
            report(tmp_path, Sharing(cluster=Cluster(plain[0], shared)))


@pytest.mark.parametrize(
    ("address", "message"),
    [
        ("tcp://192.0.2.7:8786", "configurations and their secrets would travel in the clear; use tls://"),
        ("quay:8786", "configurations and their secrets would travel in the clear; use tls://"),
        ("quay", "expected tls://HOST:PORT, or tcp://127.0.0.1:PORT"),
        ("http://127.0.0.1:8786", "expected tls://HOST:PORT, or tcp://127.0.0.1:PORT"),
        ("tls://[2001:db8::1", "expected tls://HOST:PORT, or tcp://127.0.0.1:PORT"),
        ("tls://127.0.0.1:1", "TLS needs distributed.comm.tls.ca-file in Dask's configuration"),
        ("127.0.0.1:1", "no scheduler answers there"),
    ],
)
def test_an_address_that_is_of_no_use_is_told(
    overhang: Callable[..., Ran], tmp_path: Path, address: str, message: str
) -> None:
    (tmp_path / "quay.sheet").write_text("device quay\n")
    done = overhang("audit", "quay.sheet", "--scheduler", address)
    assert (done.code, done.out) == (2, "")
    assert done.err.count("\n") == 1
    assert message in done.err


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
        assert "quay" in right.out
        for wrong in ([others[0], *ours[1:]], [ours[0], *others[1:]]):
            done = told(*wrong)
            assert (done.code, done.out) == (2, "")
            assert "no scheduler answers there" in done.err
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
    assert str(raised).startswith("a worker has Overhang ")
