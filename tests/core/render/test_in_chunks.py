"""Short stretches read through kept blocks are those of the rendering, to the bit."""

import numpy as np

from tests.core.render.test_order import Laid
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.render.in_chunks import Chunks, InChunks
from zeroknot.core.render.run import Rendering


class InChunksTest(Laid):
    def test_the_same_frames_whatever_is_read_first(self):
        for method in ("strike", "weave"):
            base = Rendering(self.sound, Attacks.none(), self.laid(method, semitones=1.0))
            read = InChunks(base, method, Chunks())
            random = np.random.default_rng(4)
            for _ in range(12):
                first = int(random.integers(0, base.size - 1))
                count = int(random.integers(1, min(40_000, base.size - first)))
                got = read.frames(first, count)
                np.testing.assert_array_equal(got, base.frames(first, count))
        np.testing.assert_array_equal(read.whole(), base.whole())

    def test_what_is_kept_is_bounded_and_made_again(self):
        base = Rendering(self.sound, Attacks.none(), self.base)
        made = []
        block = base.block
        base.block = lambda i: (made.append(i), block(i))[1]
        read = InChunks(base, "a", Chunks(most_bytes=3 * 16384 * 4))
        read.frames(0, 100)
        read.frames(50, 100)
        self.assertEqual(made, [0])
        read.whole()
        read.frames(0, 100)
        self.assertEqual(made.count(0), 2)
