"""The browser's filters and panner are those of the core: here and there it sounds the same."""

import base64

import numpy as np

from tests.browser.harness import BrowserTest
from tests.sounds import RATE
from zeroknot.core.mixing.filters import filtered
from zeroknot.core.mixing.pan import panned

RENDER = """async ([data, rate, node, settings]) => {
  const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
  const samples = new Float32Array(bytes.buffer);
  const frames = samples.length / 2;
  const context = new OfflineAudioContext(2, frames, rate);
  const buffer = new AudioBuffer({numberOfChannels: 2, length: frames, sampleRate: rate});
  for (let c = 0; c < 2; c += 1) {
    buffer.copyToChannel(samples.subarray(c * frames, (c + 1) * frames), c);
  }
  const source = new AudioBufferSourceNode(context, {buffer});
  source.connect(new window[node](context, settings)).connect(context.destination);
  source.start();
  const out = await context.startRendering();
  return [0, 1].map((c) => Array.from(out.getChannelData(c)));
}"""


class FiltersTest(BrowserTest):
    def setUp(self):
        super().setUp()
        rng = np.random.default_rng(4)
        self.noise = (0.2 * rng.standard_normal((2, 6000))).astype(np.float32)
        self.page.goto(f"{self.server.base}/projects")

    def rendered(self, node, **settings):
        data = base64.b64encode(self.noise.tobytes()).decode()
        return np.asarray(self.page.evaluate(RENDER, [data, RATE, node, settings]), np.float32)

    def test_filters_null_below_90_db(self):
        names = {"low": "lowpass", "high": "highpass", "band": "bandpass"}
        for kind, name in names.items():
            for hertz, resonance in ((200.0, 0.0), (3000.0, 9.0)):
                with self.subTest(kind=kind, hertz=hertz):
                    # Of a band pass the browser takes Q itself, else dB.
                    quality = 10 ** (resonance / 20) if kind == "band" else resonance
                    there = self.rendered("BiquadFilterNode", type=name, frequency=hertz, Q=quality)
                    here = filtered(
                        self.noise, kind, np.full(self.noise.shape[1], hertz), resonance, RATE
                    )
                    self.assertLess(np.abs(there - here).max(), 10 ** (-90 / 20))

    def test_pan_nulls_below_90_db(self):
        for pan in (-1.0, -0.4, 0.0, 0.7):
            with self.subTest(pan):
                there = self.rendered("StereoPannerNode", pan=pan)
                np.testing.assert_allclose(there, panned(self.noise, pan, 2), atol=10 ** (-90 / 20))
