import os
import socket
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from zeroknot.cli.serve import held_folder, listening_on, serve
from zeroknot.core.errors import ZeroKnotError
from zeroknot.store.damaged import DATABASE
from zeroknot.store.database import opened_database


class ServeTest(unittest.TestCase):
    def test_a_folder_that_is_named_is_meant_whatever_the_environment_says(self):
        with tempfile.TemporaryDirectory() as folder, held_folder(Path(folder)):
            elsewhere = {"ZEROKNOT_DATA": str(Path(folder) / "elsewhere")}
            with (
                mock.patch.dict(os.environ, elsewhere),
                self.assertRaisesRegex(ZeroKnotError, "another Zero Knot is running on"),
            ):
                serve(port=0, data=Path(folder))
            self.assertFalse(Path(elsewhere["ZEROKNOT_DATA"]).exists())

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

    def test_a_folder_that_cannot_be_used_is_said_in_a_sentence(self):
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "file"
            file.write_bytes(b"")
            with (
                self.assertRaisesRegex(ZeroKnotError, "cannot be used .* name another"),
                held_folder(file / "data"),
            ):
                pass

    def test_a_damaged_database_is_said_and_left_as_it_is(self):
        with tempfile.TemporaryDirectory() as folder:
            data = Path(folder)
            opened_database(data / DATABASE).dispose()
            with held_folder(data):
                pass
            whole = (data / DATABASE).read_bytes()
            for damaged in (b"no database at all" * 90, whole[:100] + bytes(4000) + whole[4100:]):
                with self.subTest(damaged[:16]):
                    (data / DATABASE).write_bytes(damaged)
                    with self.assertRaisesRegex(ZeroKnotError, "damaged"), held_folder(data):
                        pass
                    self.assertEqual((data / DATABASE).read_bytes(), damaged)

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
