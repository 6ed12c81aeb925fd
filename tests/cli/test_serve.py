import socket
import tempfile
import unittest
from pathlib import Path

from zeroknot.cli.serve import held_folder, listening_on
from zeroknot.core.errors import ZeroKnotError


class ServeTest(unittest.TestCase):
    def test_one_server_a_data_folder(self):
        with tempfile.TemporaryDirectory() as folder:
            data = Path(folder) / "new"
            with (
                held_folder(data),
                self.assertRaisesRegex(ZeroKnotError, "another Zero Knot is running on"),
                held_folder(data),
            ):
                pass
            with held_folder(data):
                pass  # the first has let go of it

    def test_small_answers_go_out_at_once(self):
        with (
            listening_on("127.0.0.1", 0) as door,
            socket.create_connection(door.getsockname()),
            door.accept()[0] as accepted,
        ):
            self.assertTrue(accepted.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY))

    def test_a_taken_port_is_said_at_once(self):
        with socket.create_server(("127.0.0.1", 0)) as taken:
            port = taken.getsockname()[1]
            with self.assertRaisesRegex(ZeroKnotError, f"port {port} on 127.0.0.1 .* --port"):
                listening_on("127.0.0.1", port)
