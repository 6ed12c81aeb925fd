"""A server that lets other machines in speaks TLS: pages get sound from nowhere else."""

import os
import socket
import ssl
import stat
import subprocess
import sys
import tempfile
import unittest
import urllib.error
import urllib.request
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec

from tests.server import Server
from tests.sounds import rendered
from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.web import certificate as made_here
from zeroknot.web.addresses import addresses_of, lets_others_in, own_addresses
from zeroknot.web.certificate import CERTIFICATE, KEY, MADE_HERE, certificate_for


class CertificateTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def known(self):
        return x509.load_pem_x509_certificate((self.folder / MADE_HERE).read_bytes())

    def test_it_names_all_by_which_this_machine_is_reached_and_lasts_as_long_as_browsers_take(self):
        certificate, key = certificate_for("0.0.0.0", self.folder)
        names = self.known().extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        self.assertLessEqual(
            {"127.0.0.1", "::1", *own_addresses()},
            {str(ip) for ip in names.get_values_for_type(x509.IPAddress)},
        )
        self.assertLessEqual(
            {"localhost", socket.gethostname()}, set(names.get_values_for_type(x509.DNSName))
        )
        lasts = self.known().not_valid_after_utc - self.known().not_valid_before_utc
        self.assertEqual(lasts.days, 825)  # CA/Browser Forum ballot 193, from memory
        self.assertEqual(stat.S_IMODE(key.stat().st_mode), 0o600)
        before = certificate.read_bytes()
        certificate_for("0.0.0.0", self.folder)
        self.assertEqual(certificate.read_bytes(), before)  # or browsers would ask each time

    def test_ours_is_made_anew_before_it_ends(self):
        certificate, _ = certificate_for("192.0.2.7", self.folder)
        before = certificate.read_bytes()
        soon = datetime.now(UTC) + timedelta(days=made_here.DAYS - 20)
        certificate.with_suffix(".new").write_bytes(b"half of a k")  # a kill in the middle
        with mock.patch.object(made_here, "datetime") as clock:
            clock.now.return_value = soon
            certificate_for("192.0.2.7", self.folder)
        self.assertNotEqual(certificate.read_bytes(), before)
        self.assertGreater(self.known().not_valid_after_utc, soon + timedelta(days=800))

    def test_a_persons_own_is_left_as_it_is_even_when_it_has_ended(self):
        secret = ec.generate_private_key(ec.SECP256R1())
        name = x509.Name([x509.NameAttribute(x509.oid.NameOID.COMMON_NAME, "studio.example")])
        then = datetime(2020, 1, 1, tzinfo=UTC)
        theirs = (
            x509.CertificateBuilder(name, name, secret.public_key(), 7)
            .not_valid_before(then)
            .not_valid_after(then + timedelta(days=1))
            .sign(secret, hashes.SHA256())
        ).public_bytes(serialization.Encoding.PEM)
        (self.folder / CERTIFICATE).write_bytes(theirs)
        with self.assertRaisesRegex(ZeroKnotError, "is there without key.pem"):
            certificate_for("0.0.0.0", self.folder)
        (self.folder / KEY).write_bytes(
            secret.private_bytes(
                serialization.Encoding.PEM,
                serialization.PrivateFormat.PKCS8,
                serialization.NoEncryption(),
            )
        )
        certificate_for("0.0.0.0", self.folder)
        self.assertEqual((self.folder / CERTIFICATE).read_bytes(), theirs)
        (self.folder / KEY).write_text("no key")
        with self.assertRaisesRegex(ZeroKnotError, "are no certificate and its key"):
            certificate_for("0.0.0.0", self.folder)

    def test_addresses(self):
        self.assertEqual(addresses_of("127.0.0.1", 8420), ("http://127.0.0.1:8420", []))
        self.assertEqual(addresses_of("::1", 8420), ("http://[::1]:8420", []))
        self.assertEqual(addresses_of("192.0.2.7", 9), ("https://192.0.2.7:9", []))
        here, others = addresses_of("0.0.0.0", 9)
        self.assertEqual(here, "https://127.0.0.1:9")
        self.assertEqual(len(others), len(own_addresses(socket.AF_INET)))
        here, others = addresses_of("::", 9)  # a door of that kind takes no others
        self.assertEqual(here, "https://[::1]:9")
        self.assertTrue(all(address.startswith("https://[") for address in others), others)
        self.assertFalse(lets_others_in("localhost"))


class LetInTest(unittest.TestCase):
    def test_others_are_let_in_over_tls_and_commands_find_the_server(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        server = Server(Path(folder.name), ZEROKNOT_HOST="0.0.0.0")
        self.addCleanup(server.stop)
        self.assertIn(f"Zero Knot: https://127.0.0.1:{server.port}\n", server.words())
        for address in server.from_elsewhere:
            self.assertIn(f"From other machines: {address}\n", server.words())
        with self.assertRaisesRegex(urllib.error.URLError, "CERTIFICATE_VERIFY_FAILED"):
            urllib.request.urlopen(f"{server.base}/api/projects", timeout=20)
        with self.assertRaises((OSError, ssl.SSLError)):
            plain = server.base.replace("https", "http")
            urllib.request.urlopen(f"{plain}/api/projects", timeout=20)
        file = Path(folder.name) / "beside" / "bass.wav"
        file.parent.mkdir()
        file.write_bytes(wav_bytes(rendered("bass_97"), 16))
        done = subprocess.run(
            [sys.executable, "-c", "from zeroknot.cli.start import run; run()", "bring", str(file)],
            env={**os.environ, "ZEROKNOT_DATA": folder.name},
            capture_output=True, text=True,
        )  # fmt: skip
        self.assertEqual(done.stdout, "1 brought in, 0 there already, 0 refused\n", done.stderr)
