"""Who belongs to a cluster: an authority of its own, and a certificate for each part, signed by it.

Every part shows its certificate, and talks only to parts that show one of the same authority. Whoever has one can have any program run on
all workers: the keys are worth what the machines are.
"""

from __future__ import annotations

import stat
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from platformdirs import user_config_path

from yomikomi.core.errors import NameTakenError, UnfinishedError
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import sync_folder, write_once

if TYPE_CHECKING:
    from cryptography import x509
    from cryptography.hazmat.primitives.asymmetric import ec
    from distributed.security import Security

# hub: hands out the work; worker: does it; desk: where the workspace is open.
Part = Literal["hub", "worker", "desk"]
PARTS: tuple[Part, ...] = ("hub", "worker", "desk")
AUTHORITY, OWN, OWN_KEY = "authority.pem", "own.pem", "own-key.pem"
_AUTHORITY_KEY = "authority-key.pem"
# A collection takes years; who leaves it is a reason to begin anew.
_YEARS = 10
_PRIVATE = 0o600
_MISSING = "pip install 'yomikomi[cluster]' installs what it needs."


def cluster_folder() -> Path:
    """Of this person on this machine."""
    return user_config_path("yomikomi") / "cluster"


def begin_cluster(folder: Path) -> None:
    """An authority, and a folder for each part, to be carried to where it runs.

    Raises NameTakenError where there is one already, and what :func:`drive_error` makes of an OSError.
    """
    if folder.exists() and any(folder.iterdir()):
        raise NameTakenError(
            f"{folder} holds a cluster already.", path=folder,
            remedy="Use it, or name another folder. Certificates of the old one do not fit a new one.",
        )  # fmt: skip
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        folder.chmod(0o700)
        key, certificate = _authority()
        (folder / "authority").mkdir(mode=0o700)
        write_once(folder / "authority" / AUTHORITY, _pem(certificate), mode=_PRIVATE)
        write_once(folder / "authority" / _AUTHORITY_KEY, _key_pem(key), mode=_PRIVATE)
        for part in PARTS:
            own_key, own = _signed(part, key, certificate)
            (folder / part).mkdir(mode=0o700)
            write_once(folder / part / AUTHORITY, _pem(certificate), mode=_PRIVATE)
            write_once(folder / part / OWN, _pem(own), mode=_PRIVATE)
            write_once(folder / part / OWN_KEY, _key_pem(own_key), mode=_PRIVATE)
            sync_folder(folder / part)
        sync_folder(folder)
    except OSError as error:
        raise drive_error(error, folder, safe="Nothing else was changed.") from error


def security_of(folder: Path, part: Part) -> Security:
    """What a part shows and asks for. ``folder``: of the cluster, or of that part alone, as it was carried to this machine.

    Raises UnfinishedError where something is missing, or a key can be read by others.
    """
    own = folder / part if (folder / part).is_dir() else folder
    for name in (AUTHORITY, OWN, OWN_KEY):
        if not (own / name).is_file():
            raise UnfinishedError(
                f"{own / name} is missing.",
                remedy="yomikomi cluster init makes it on one machine; carry its folder for this part here, over a way that nobody reads.",
                path=own / name,
            )
    if (own / OWN_KEY).stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO):
        raise UnfinishedError(
            f"Others can read {own / OWN_KEY}.", remedy="Make it your own: chmod 600. If somebody may have read it, begin a new cluster.",
            path=own / OWN_KEY,
        )  # fmt: skip
    try:
        from distributed.security import Security
    except ImportError as error:
        raise UnfinishedError("What other machines are reached with is not installed.", remedy=_MISSING) from error
    shown = {"cert": str(own / OWN), "key": str(own / OWN_KEY)}
    files = {f"tls_{role}_{what}": path for role in ("client", "scheduler", "worker") for what, path in shown.items()}
    return Security(tls_ca_file=str(own / AUTHORITY), require_encryption=True, **files)


def _authority() -> tuple[ec.EllipticCurvePrivateKey, x509.Certificate]:
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes

    key, name = _key(), _name("authority")
    builder = _builder(name, name, key).add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
    usage = x509.KeyUsage(False, False, False, False, False, True, True, False, False)
    return key, builder.add_extension(usage, critical=True).sign(key, hashes.SHA256())


def _signed(
    part: Part, key: ec.EllipticCurvePrivateKey, authority: x509.Certificate
) -> tuple[ec.EllipticCurvePrivateKey, x509.Certificate]:
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes
    from cryptography.x509.oid import ExtendedKeyUsageOID

    own = _key()
    builder = _builder(_name(part), authority.subject, own).add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
    both = x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH, ExtendedKeyUsageOID.CLIENT_AUTH])
    known = x509.AuthorityKeyIdentifier.from_issuer_public_key(key.public_key())
    return own, builder.add_extension(both, critical=False).add_extension(known, critical=False).sign(key, hashes.SHA256())


def _builder(name: x509.Name, issuer: x509.Name, key: ec.EllipticCurvePrivateKey) -> x509.CertificateBuilder:
    from cryptography import x509

    now = datetime.now(UTC)
    return (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))  # clocks of machines differ
        .not_valid_after(now + timedelta(days=365 * _YEARS))
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
    )


def _name(words: str) -> x509.Name:
    from cryptography import x509
    from cryptography.x509.oid import NameOID

    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"Yomikomi {words}")])


def _key() -> ec.EllipticCurvePrivateKey:
    try:
        from cryptography.hazmat.primitives.asymmetric import ec
    except ImportError as error:
        raise UnfinishedError("What certificates are made with is not installed.", remedy=_MISSING) from error
    return ec.generate_private_key(ec.SECP256R1())


def _pem(certificate: x509.Certificate) -> bytes:
    from cryptography.hazmat.primitives.serialization import Encoding

    return certificate.public_bytes(Encoding.PEM)


def _key_pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

    return key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
