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

# A person's own; and what the server makes, both in one file: it is there whole or not at all.
CERTIFICATE, KEY = "certificate.pem", "key.pem"
MADE_HERE = "made-certificate.pem"
# The longest that every browser takes (CA/Browser Forum ballot 193, from memory).
DAYS = 825
RENEWED_BEFORE = timedelta(days=30)


def certificate_for(host: str, folder: Path) -> tuple[Path, Path]:
    """The files of the certificate in that folder and of its key, which may be one.

    A person's own are left as they are. Where there are none the server makes a pair, and makes it
    anew before it ends.

    Raises ZeroKnotError where one of the two is missing or they are no pair.
    """
    certificate, key = folder / CERTIFICATE, folder / KEY
    if certificate.exists() != key.exists():
        there, missing = (CERTIFICATE, KEY) if certificate.exists() else (KEY, CERTIFICATE)
        raise ZeroKnotError(
            f"{folder / there} is there without {missing}; put both there, or neither: then the "
            "server makes a pair"
        )
    if not certificate.exists():
        certificate = key = folder / MADE_HERE
        if not certificate.exists() or _ends_soon(certificate):
            _make(host, certificate)
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
    own = folder / CERTIFICATE
    used = own if own.exists() else folder / MADE_HERE
    context = ssl.create_default_context(cafile=str(used))
    context.check_hostname = False
    context.verify_flags |= ssl.VERIFY_X509_PARTIAL_CHAIN
    return context


def _ends_soon(made: Path) -> bool:
    from cryptography import x509

    ends = x509.load_pem_x509_certificate(made.read_bytes()).not_valid_after_utc
    return ends - datetime.now(UTC) < RENEWED_BEFORE


def _make(host: str, to: Path) -> None:
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

    secret = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Zero Knot on this machine")])
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
    beside = to.with_suffix(".new")
    beside.unlink(missing_ok=True)
    with os.fdopen(os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        file.write(written + made.public_bytes(serialization.Encoding.PEM))
    beside.replace(to)


def _name_of(one: str) -> "x509.GeneralName":
    from cryptography import x509

    try:
        return x509.IPAddress(ip_address(one))
    except ValueError:
        return x509.DNSName(one)
