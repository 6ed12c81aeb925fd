// @ts-check
/**
 * The pad box: a simulated playing surface. It stands in for a MIDI access and plays recorded
 * performances with real timing (docs/pad-box.md), so that pads can be tried and tested without one.
 */

/** ms, note, velocity. @typedef {[number, number, number]} Sent */
/** @typedef {{key: string, name: string, sent: Sent[]}} Performance */

const NOTE_ON = 0x99; // on the drum channel
const SOON_MS = 60;

/** Two bars at 96 BPM each, by a made-up hand: a little late, a little early, never twice as hard. @type {Performance[]} */
export const PERFORMANCES = [
  {
    key: "box-steady", name: "a steady hand",
    sent: [
      [0, 36, 118], [318, 38, 74], [629, 40, 104], [941, 38, 70], [1256, 36, 112], [1571, 37, 66], [1879, 40, 107], [2190, 38, 72],
      [2503, 36, 116], [2817, 38, 77], [3131, 40, 101], [3440, 39, 69], [3752, 36, 109], [3911, 36, 84], [4377, 40, 111], [4692, 41, 80],
    ],
  },
  {
    key: "box-loose", name: "a loose hand",
    sent: [
      [6, 36, 109], [334, 41, 61], [641, 40, 97], [873, 38, 52], [967, 38, 79], [1262, 36, 114], [1602, 42, 63], [1889, 40, 103],
      [2224, 38, 58], [2509, 36, 105], [2741, 37, 71], [3146, 40, 110], [3389, 38, 49], [3468, 38, 66], [3760, 36, 98], [4401, 40, 117],
      [4561, 43, 74], [4713, 44, 88],
    ],
  },
];

/**
 * A MIDI access with one input, and when it begins and ends to play.
 * @param {Performance} performance_ @param {number} [rounds] how often it is played
 */
export function padBox(performance_, rounds = 1) {
  /** @type {{name: string, onmidimessage: ((event: {data: Uint8Array, timeStamp: number}) => void) | null}} */
  const input = { name: `pad box: ${performance_.name}`, onmidimessage: null };
  /** @type {ReturnType<typeof setTimeout>[]} */
  let timers = [];
  const length = Math.max(...performance_.sent.map(([ms]) => ms));
  return {
    inputs: new Map([[performance_.key, input]]),
    /** @param {number} [from] when its first moment is, as time stamps tell it */
    begin(from = performance.now() + SOON_MS) {
      for (let round = 0; round < rounds; round += 1) {
        for (const [ms, note, velocity] of performance_.sent) {
          const stamp = from + round * (length + SOON_MS) + ms;
          // A device stamps what it sends by its own clock, whenever it arrives.
          timers.push(setTimeout(() => input.onmidimessage?.({ data: new Uint8Array([NOTE_ON, note, velocity]), timeStamp: stamp }), stamp - performance.now()));
        }
      }
    },
    close() {
      for (const timer of timers) clearTimeout(timer);
      timers = [];
    },
  };
}
