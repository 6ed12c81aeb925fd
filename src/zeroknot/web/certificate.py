"""The certificate by which a server speaks with other machines.

Browsers give sound, and what an edit is known by, to pages only that come from their own machine or
over TLS (W3C Secure Contexts). Where a data folder holds no certificate the server makes one for
itself, which a browser asks about once.
"""

import os
import socket
import ssl
from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path
from typing import TYPE_CHECKING

from zeroknot.core.errors import ZeroKnotError
from zeroknot.web.addresses import EVERY_ADDRESS, own_addresses

if TYPE_CHECKING:
    from cryptography import x509

CERTIFICATE, KEY = "certificate.pem", "key.pem"
MAKER = "Zero Knot on this machine"
# The longest that every browser takes (CA/Browser Forum, ballot 193).
DAYS = 825
RENEWED_BEFORE = timedelta(days=30)


def certificate_for(host: str, folder: Path) -> tuple[Path, Path]:
    """The certificate in that folder and its key; made there where there is none yet.

    A person's own files are left as they are; what the server made is made anew before it ends.

    Raises ZeroKnotError where one of the two is missing or they are no pair.
    """
    certificate, key = folder / CERTIFICATE, folder / KEY
    if certificate.exists() != key.exists():
        there, missing = (CERTIFICATE, KEY) if certificate.exists() else (KEY, CERTIFICATE)
        raise ZeroKnotError(
            f"{folder / there} is there without {missing}; put both there, or neither: then the "
            "server makes a pair"
        )
    if not certificate.exists() or _ends_soon(certificate):
        _make(host, certificate, key)
    try:
        ssl.create_default_context(ssl.Purpose.CLIENT_AUTH).load_cert_chain(certificate, key)
    except (OSError, ssl.SSLError) as error:
        raise ZeroKnotError(
            f"{certificate} and {key} are no certificate and its key ({error}); put a pair there, "
            "or none: then the server makes one"
        ) from error
    return certificate, key


def trusting(folder: Path) -> ssl.SSLContext:
    """For commands on this machine: the certificate in that folder is the server's, by any name."""
    context = ssl.create_default_context(cafile=str(folder / CERTIFICATE))
    context.check_hostname = False
    context.verify_flags |= ssl.VERIFY_X509_PARTIAL_CHAIN
    return context


def _ends_soon(certificate: Path) -> bool:
    """Is it one the server made, and soon out of date?"""
    from cryptography import x509

    try:
        known = x509.load_pem_x509_certificate(certificate.read_bytes())
    except ValueError:
        return False  # whatever it is, it is not ours
    is_ours = known.subject.rfc4514_string() == f"CN={MAKER}"
    return is_ours and known.not_valid_after_utc - datetime.now(UTC) < RENEWED_BEFORE


def _make(host: str, certificate: Path, key: Path) -> None:
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

    secret = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, MAKER)])
    numbers = ["127.0.0.1", "::1", *own_addresses(), *([] if host in EVERY_ADDRESS else [host])]
    known = [_name_of(one) for one in dict.fromkeys(["localhost", socket.gethostname(), *numbers])]
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder(name, name, secret.public_key(), x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=DAYS - 1))
        .add_extension(x509.SubjectAlternativeName(known), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), False)
        .sign(secret, hashes.SHA256())
    )
    written = secret.private_bytes(
        serialization.Encoding.PEM,
        serialization.PrivateFormat.PKCS8,
        serialization.NoEncryption(),
    )
    key.unlink(missing_ok=True)
    with os.fdopen(os.open(key, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        file.write(written)
    certificate.write_bytes(made.public_bytes(serialization.Encoding.PEM))


def _name_of(one: str) -> "x509.GeneralName":
    from cryptography import x509

    try:
        return x509.IPAddress(ip_address(one))
    except ValueError:
        return x509.DNSName(one)
