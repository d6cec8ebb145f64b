"""Keys of a farm: who holds them is in it, everybody else is turned away at the door.

Scheduler, workers and whoever sends work show one another a certificate of one authority that was made for this farm
alone (mutual TLS 1.3). The authority's own key is forgotten as soon as it has signed: more keys are a new farm.
"""

import datetime as dt
import importlib.util
import os
import ssl
import stat
from pathlib import Path
from typing import Any

from lunar_haze.core.errors import ServiceError, os_reason
from lunar_haze.core.units.account import state_folder
from lunar_haze.core.units.written import put_bytes

#: Files of a folder of keys: the authority's certificate, the farm's own, and its private key.
AUTHORITY, CERTIFICATE, KEY = "authority.pem", "farm.pem", "farm.key"
_DAYS = 825


def usual_folder() -> Path:
    """Where keys are looked for when nobody says where they are."""
    return state_folder() / "farm"


def make_keys(folder: Path) -> None:
    """Make the keys of a new farm in a folder. Raises ServiceError, also where there are keys already."""
    if any((folder / name).exists() for name in (AUTHORITY, CERTIFICATE, KEY)):
        raise ServiceError(f"{folder} holds keys already; delete them for a new farm, or name another folder")
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        for name, data in _made().items():
            put_bytes(folder / name, data, 0o600 if name == KEY else 0o644)
    except OSError as error:
        raise ServiceError(f"{folder} cannot be written: {os_reason(error)}") from error


def _made() -> dict[str, bytes]:
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec

    def named(name: str) -> x509.Name:
        return x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, name)])

    begins = dt.datetime.now(dt.UTC) - dt.timedelta(hours=1)

    def certificate(name: str, key: Any, signer: Any, is_authority: bool) -> x509.Certificate:
        return (
            x509.CertificateBuilder()
            .subject_name(named(name))
            .issuer_name(named("lunar haze farm"))
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(begins)
            .not_valid_after(begins + dt.timedelta(days=_DAYS))
            .add_extension(
                x509.BasicConstraints(ca=is_authority, path_length=0 if is_authority else None), critical=True
            )
            .sign(signer, hashes.SHA256())
        )

    authority, own = ec.generate_private_key(ec.SECP256R1()), ec.generate_private_key(ec.SECP256R1())
    pem = serialization.Encoding.PEM
    return {
        AUTHORITY: certificate("lunar haze farm", authority, authority, True).public_bytes(pem),
        CERTIFICATE: certificate("lunar haze farm member", own, authority, False).public_bytes(pem),
        KEY: own.private_bytes(pem, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()),
    }


def have_farm() -> None:
    """Raises ServiceError where the packages of a farm, an extra, are not installed."""
    if importlib.util.find_spec("distributed") is None:
        raise ServiceError("a farm needs packages that are not installed here: pip install “lunar-haze[farm]”")


def security(folder: Path) -> Any:
    """What Dask needs to show and ask for the keys of a folder. Raises ServiceError in words."""
    have_farm()
    from distributed.security import Security

    paths = [folder / name for name in (AUTHORITY, CERTIFICATE, KEY)]
    for path in paths:
        try:
            mode = stat.S_IMODE(path.stat().st_mode)
        except OSError as error:
            raise ServiceError(
                f"there is no {path.name} in {folder}; make keys with “lunar-haze farm keys”, or copy the farm's there"
            ) from error
        if path.name == KEY and mode & 0o077 and os.name == "posix":
            raise ServiceError(f"others can read {path}; run: chmod 600 {path}")
    authority, certificate, key = map(str, paths)
    try:
        ssl.create_default_context(cafile=authority).load_cert_chain(certificate, key)
    except (OSError, ssl.SSLError) as error:
        raise ServiceError(f"the keys in {folder} are damaged; copy them again") from error
    told = {f"tls_{who}_{what}": path for who in ("client", "scheduler", "worker")
            for what, path in (("cert", certificate), ("key", key))}  # fmt: skip
    return Security(require_encryption=True, tls_ca_file=authority, tls_min_version=ssl.TLSVersion.TLSv1_3, **told)
