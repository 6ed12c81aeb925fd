"""Every file that a fuzzer found worth keeping gives a value or a sentence, and soon."""

import os
import time
import unittest
from pathlib import Path

from tests.fuzz.readers import READERS, read

CORPUS = Path(__file__).parent / "corpus"
HANG_SECONDS = 5.0


class ReadersTest(unittest.TestCase):
    def setUp(self):
        """Decoders complain of damaged files on the process's own error output, by the line."""
        kept, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, 2)
        self.addCleanup(lambda: (os.dup2(kept, 2), os.close(kept), os.close(nowhere)))

    def test_what_was_found_and_what_is_honest(self):
        for name, (reader, honest) in READERS.items():
            kept = [path.read_bytes() for path in sorted(CORPUS.glob(f"{name}/*"))]
            self.assertGreater(len(kept), 20, name)
            for data in (*honest(), *kept):
                began = time.process_time()  # others may compute beside
                with self.subTest(name, data=data[:40]):
                    read(reader, data)
                    self.assertLess(time.process_time() - began, HANG_SECONDS)

    def test_honest_files_are_read(self):
        """A reader that refused everything would pass all else."""
        for name, (reader, honest) in READERS.items():
            for data in honest():
                with self.subTest(name):
                    reader(data)


if __name__ == "__main__":
    unittest.main()
