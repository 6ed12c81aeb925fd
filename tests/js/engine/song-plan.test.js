// @ts-check
/** The rules of the player, each by its name, on a clock that is stepped by hand. */

import assert from "node:assert/strict";
import { test } from "node:test";
import { Kitchen, RATE, STEP, Stage, frames, sheetOf } from "./stage.js";

const BAR_96 = (4 * 60) / 96; // seconds
const FADE = Math.round(0.005 * RATE);

/** Everything heard at a frame belongs to these events and adds up to one each. @param {Stage} stage @param {number} at @param {string[]} names */
function assertHeard(stage, at, names) {
  const heard = stage.heard(at).filter((h) => h.gain > 1e-9);
  assert.deepEqual([...new Set(heard.map((h) => h.event.digest.split("/")[0]))].sort(), [...names].sort(), `at ${at}`);
}

/** Between two frames each event of the song is heard once, whole, at one song frame. @param {Stage} stage @param {number} from @param {number} to */
function assertWhole(stage, from, to) {
  const edges = stage.parts().flatMap((p) => [p.at - 1, p.at, p.at + p.frames - 1, p.at + p.frames]);
  const points = new Set(edges.filter((e) => e >= from && e < to));
  for (let at = from; at < to; at += 997) points.add(at);
  for (const at of points) {
    /** @type {Map<string, number>} */
    const sums = new Map();
    const songs = new Set();
    for (const { event, song, gain } of stage.heard(at)) {
      sums.set(event.strand, (sums.get(event.strand) ?? 0) + gain);
      songs.add(song);
    }
    assert.equal(songs.size, 1, `one place of the song at ${at}: ${[...songs]}`);
    for (const [name, sum] of sums) assert.ok(Math.abs(sum - 1) < 1e-9, `${name} is heard ${sum} times at ${at}`);
  }
}

test("play begins 30 ms after its first blocks are there, at the very frame", () => {
  const stage = new Stage().play(0);
  const at = stage.firstOf(() => true);
  assert.equal(at, Math.ceil(1000 + 0.03 * RATE));
  assert.equal(stage.plan.beatAt(at), 0);
  stage.run(5);
  assertWhole(stage, at, stage.now);
});

test("play waits for its blocks and says so; a sheet that comes meanwhile is the one that plays", () => {
  const kitchen = new Kitchen(0);
  const stage = new Stage({ kitchen });
  stage.plan.play(16);
  stage.run(0.5);
  assert.equal(stage.plan.isWaiting, true);
  assert.equal(stage.parts().length, 0);
  stage.plan.adopt(sheetOf({ bpm: 192 }), stage.now);
  kitchen.aSecond = Infinity;
  stage.run(0.2);
  assert.equal(stage.plan.isWaiting, false);
  const first = stage.parts()[0];
  // Beat 16 lies on another frame there: it is taken from the sheet that plays.
  assert.equal(first.event.at + first.from, Math.floor((16 * 60 * RATE) / 192 + 0.5));
  assert.ok(Math.abs(stage.plan.beatAt(first.at) - 16) < 1e-9);
});

test("a lead before bar 1 is played from the very start, not with a cycle", () => {
  const stage = new Stage({ sheet: sheetOf({ lead: 10_000 }) }).play(0);
  assert.equal(stage.parts()[0].from, 0);
  assert.ok(stage.plan.beatAt(stage.parts()[0].at) < 0);
  const cycled = new Stage({ sheet: sheetOf({ lead: 10_000 }) });
  cycled.plan.setCycle({ from: 0, to: 4 }, cycled.now);
  cycled.play(0);
  assert.equal(cycled.parts()[0].from, 10_000);
});

test("stop lets go over 5 ms and keeps the place that was heard", () => {
  const stage = new Stage().play(0).run(3);
  const heard = stage.now - frames(0.25); // a loudspeaker a quarter of a second away
  const beat = stage.plan.beatAt(heard);
  stage.plan.stop(stage.now, heard);
  stage.wake();
  assert.equal(stage.plan.isPlaying, false);
  assert.equal(stage.beat(), beat);
  assert.equal(stage.heard(stage.now + 3 * FADE).length, 0);
  assert.equal(stage.clicks().filter((c) => c.at > stage.now + FADE).length, 0);
});

test("seek: what sounds goes on until the new place is there, then crossfades", () => {
  const kitchen = new Kitchen();
  const stage = new Stage({ kitchen, sheet: sheetOf({ clips: [{ bars: 8, passes: 2 }] }) }).play(0).run(1);
  kitchen.aSecond = 0;
  stage.plan.go(16);
  const asked = stage.now;
  stage.run(0.3);
  assertWhole(stage, asked, stage.now);
  assert.ok(stage.beat() < 4);
  kitchen.aSecond = Infinity;
  stage.run(0.2);
  assert.ok(stage.beat() >= 16 && stage.beat() < 16.4, `at ${stage.beat()}`);
});

test("an edit during a seek loses neither", () => {
  const kitchen = new Kitchen();
  const stage = new Stage({ kitchen }).play(0).run(1);
  kitchen.aSecond = 0;
  stage.plan.go(30);
  stage.wake();
  stage.plan.adopt(sheetOf({ clips: [{}, { name: "keys" }] }), stage.now);
  stage.run(0.2);
  kitchen.aSecond = Infinity;
  stage.run(0.3);
  assert.ok(stage.beat() >= 30, `at ${stage.beat()}`);
  assertHeard(stage, stage.now, ["drums@96", "keys@96"]);
});

test("a seek during an edit loses neither", () => {
  const kitchen = new Kitchen();
  const stage = new Stage({ kitchen }).play(0).run(1);
  kitchen.aSecond = 0;
  stage.plan.adopt(sheetOf({ clips: [{}, { name: "keys" }] }), stage.now);
  stage.run(0.1);
  stage.plan.go(24);
  stage.run(0.1);
  kitchen.aSecond = Infinity;
  stage.run(0.3);
  assert.ok(stage.beat() >= 24);
  assertHeard(stage, stage.now, ["drums@96", "keys@96"]);
});

test("a new tempo during a seek is heard at the new place", () => {
  const stage = new Stage().play(0).run(1);
  stage.plan.adopt(sheetOf({ bpm: 120 }), stage.now);
  stage.plan.go(8);
  stage.run(0.2);
  assertHeard(stage, stage.now, ["drums@120"]);
  assert.ok(stage.beat() >= 8 && stage.beat() < 9);
});

test("a cycle comes round on the sample, a thousand times", () => {
  const stage = new Stage({ sheet: sheetOf({ bpm: 97 }) });
  stage.plan.setCycle({ from: 4, to: 8 }, stage.now);
  stage.play(4);
  const begun = stage.firstOf(() => true);
  const period = Math.floor((8 * 60 * RATE) / 97 + 0.5) - Math.floor((4 * 60 * RATE) / 97 + 0.5);
  const song = Math.floor((4 * 60 * RATE) / 97 + 0.5);
  let round = 0;
  // Far apart steps would be stalls; so the log is kept short and looked at as it goes.
  while (round < 1000) {
    stage.run(period / RATE);
    const turns = stage.parts().filter((p) => p.event.at + p.from === song);
    for (const p of turns) {
      assert.equal((p.at - begun) % period, 0);
      round = Math.max(round, (p.at - begun) / period);
    }
    stage.log = [];
    stage.trace = [];
  }
  assert.equal(stage.plan.handout.missed, 0);
});

test("a cycle's start is asked for before its end is reached", () => {
  const kitchen = new Kitchen();
  const stage = new Stage({ kitchen, sheet: sheetOf({ clips: [{ bars: 8, passes: 2 }] }) });
  stage.plan.setCycle({ from: 4, to: 12 }, stage.now);
  stage.play(8);
  stage.run(1);
  // Two seconds from its end, its first block is wanted, due when it comes round.
  const block = Math.floor((4 * 60 * RATE) / 96 / 16_384);
  const wanted = stage.plan.wanted(stage.now).find((w) => w.index === block);
  assert.ok(wanted || [...kitchen.here].some((k) => k.endsWith(`/${block}`)));
});

test("a body is cut at the cycle's end over 3 ms, a tail rings on through block after block", () => {
  const tail = 3 * 16_384;
  const stage = new Stage({ sheet: sheetOf({ tail, clips: [{ bars: 1, passes: 1 }, { name: "long", bars: 8, passes: 1 }] }) });
  stage.plan.setCycle({ from: 0, to: 4 }, stage.now);
  stage.play(0).run(4 * BAR_96);
  const begun = stage.firstOf(() => true);
  const turn = begun + frames(BAR_96);
  assert.ok(stage.heard(turn + tail - 100).some((h) => h.event.strand === "drums" && h.song > frames(BAR_96)), "the tail rings");
  assert.ok(!stage.heard(turn + 10).some((h) => h.event.strand === "long" && h.song >= frames(BAR_96)), "the body does not");
});

test("a cycle that is changed while inside turns at its new end, with no gap", () => {
  const stage = new Stage();
  stage.plan.setCycle({ from: 0, to: 8 }, stage.now);
  stage.play(0).run(1.2);
  // Its new end is nearer than what has been handed out already.
  stage.plan.setCycle({ from: 0, to: (stage.beat() + 0.2) }, stage.now);
  const end = stage.plan.cycle?.to ?? 0;
  const now = stage.now;
  stage.run(1);
  const turn = now + Math.round(0.2 * 60 / 96 * RATE);
  assertWhole(stage, now + FADE, turn - 200);
  assertWhole(stage, turn + 1, stage.now - 1);
  assert.ok(stage.trace.every(({ beat }) => beat <= end + 1e-6), "never past its end");
});

test("a cycle that ends before the place begins at once; one that is taken off goes on", () => {
  const stage = new Stage().play(12).run(1);
  stage.plan.setCycle({ from: 0, to: 4 }, stage.now);
  stage.run(0.2);
  assert.ok(stage.beat() < 1);
  stage.run(BAR_96 - 0.4);
  // Taken off just before its end, when its next round had been handed out already.
  stage.plan.setCycle(null, stage.now);
  stage.run(0.6);
  assert.ok(stage.beat() > 4);
});

for (const latency of [0.04, 0.3, 0.8]) {
  test(`a new tempo lands on the first bar line at which its blocks can be there (${latency} s)`, () => {
    const kitchen = new Kitchen();
    const stage = new Stage({ kitchen }).play(0).run(4);
    const asked = stage.now;
    kitchen.never = () => false;
    kitchen.aSecond = 0;
    stage.plan.adopt(sheetOf({ bpm: 120 }), stage.now);
    stage.run(latency);
    kitchen.aSecond = Infinity;
    stage.run(4);
    const at = stage.firstOf((e) => e.digest.startsWith("drums@120"));
    const begun = stage.firstOf(() => true);
    const lines = [1, 2, 3, 4].map((bar) => begun + frames(bar * BAR_96));
    const due = lines.find((line) => line > asked + frames(latency) + frames(0.08));
    assert.equal(at, due);
    // Position kept in beats, the playhead continuous to a frame.
    assert.ok(Math.abs(stage.plan.beatAt(at) - stage.plan.beatAt(at - 1)) < 1.01 * 120 / 60 / RATE);
    assert.equal(Math.round(stage.plan.beatAt(at) * 1e6), 8e6);
    assertHeard(stage, at - 1, ["drums@96"]);
    assertHeard(stage, at + FADE, ["drums@120"]);
  });
}

test("while a new tempo is awaited what sounds goes on; a line that was missed is followed by the next", () => {
  const kitchen = new Kitchen();
  const stage = new Stage({ kitchen, sheet: sheetOf({ clips: [{ bars: 8, passes: 4 }] }) }).play(0).run(1);
  kitchen.aSecond = 0;
  stage.plan.adopt(sheetOf({ bpm: 120, clips: [{ bars: 8, passes: 4 }] }), stage.now);
  for (const key of Array.from({ length: 40 }, (_, i) => `drums@96/882000/${i}`)) kitchen.here.add(key);
  const asked = stage.now;
  stage.run(3);
  assertWhole(stage, asked, stage.now);
  kitchen.aSecond = Infinity;
  stage.run(3);
  assertHeard(stage, stage.now, ["drums@120"]);
});

test("a new tempo comes within two bars though more is wanted than can be rendered", () => {
  // 24 tracks of eight bars need 65 blocks a second; 45 are rendered, none was before.
  const clips = Array.from({ length: 24 }, (_, i) => ({ name: `t${i}`, bars: 8, passes: 4 }));
  const stage = new Stage({ kitchen: new Kitchen(45), sheet: sheetOf({ clips }) });
  stage.plan.play(0);
  stage.run(6);
  assert.ok(stage.plan.isPlaying && stage.plan.isBehind);
  const asked = stage.now;
  stage.plan.adopt(sheetOf({ bpm: 97, clips }), stage.now);
  stage.run(3 * BAR_96);
  const at = stage.firstOf((e) => e.digest.includes("@97"));
  assert.ok(at - asked < frames(2 * BAR_96), `after ${(at - asked) / RATE} s`);
});

test("where less can be rendered than is wanted, what is missing is hardly more than that", () => {
  const clips = Array.from({ length: 24 }, (_, i) => ({ name: `t${i}`, bars: 8, passes: 4 }));
  const stage = new Stage({ kitchen: new Kitchen(45), sheet: sheetOf({ clips }) });
  stage.plan.play(0);
  stage.run(15);
  // 24 tracks want 24 · 44 100 / 16 384 = 64.6 blocks a second; 45 come: 4.55 of 15 s cannot be heard.
  const missing = stage.plan.handout.missed / RATE / 24;
  assert.ok(missing < 5.2, `${missing} s of 15`);
});

test("a tempo that is changed twice comes once, as the last", () => {
  const stage = new Stage().play(0).run(1);
  stage.plan.adopt(sheetOf({ bpm: 120 }), stage.now);
  stage.run(0.1);
  stage.plan.adopt(sheetOf({ bpm: 140 }), stage.now);
  stage.run(4);
  assert.equal(stage.parts().filter((p) => p.event.digest.startsWith("drums@120")).length, 0);
  assertHeard(stage, stage.now, ["drums@140"]);
});

test("a tempo that is changed and taken back does not come", () => {
  const stage = new Stage().play(0).run(1);
  stage.plan.adopt(sheetOf({ bpm: 121 }), stage.now);
  stage.run(0.2);
  stage.plan.adopt(sheetOf(), stage.now);
  stage.run(6);
  assert.equal(stage.parts().filter((p) => p.event.digest.startsWith("drums@121")).length, 0);
  assertWhole(stage, 1000 + frames(0.1), stage.now);
});

test("another metre waits for a bar line of the old one, and its click follows", () => {
  const stage = new Stage().play(0).run(0.5);
  stage.plan.adopt(sheetOf({ metre: 3 }), stage.now);
  stage.run(10);
  const begun = stage.firstOf(() => true);
  const ones = stage.clicks().filter((c) => c.isOne).map((c) => Math.round(((c.at - begun) / RATE) * 96 / 60));
  assert.deepEqual(ones.slice(0, 5), [0, 6, 9, 12, 15]);
});

test("a tempo change is taken in a cycle that holds no bar line: at its start", () => {
  const stage = new Stage();
  stage.plan.setCycle({ from: 1, to: 3 }, stage.now);
  stage.play(1).run(0.5);
  stage.plan.adopt(sheetOf({ bpm: 120 }), stage.now);
  stage.run(3);
  assertHeard(stage, stage.now, ["drums@120"]);
  const at = stage.firstOf((e) => e.digest.startsWith("drums@120"));
  assert.ok(Math.abs(stage.plan.cycle ? stage.parts().find((p) => p.at === at).from / RATE - 0.5 : 1) < 1e-4);
});

test("other events: only what changed is exchanged, over 5 ms, the playhead does not move", () => {
  const both = [{}, { name: "keys" }];
  const stage = new Stage({ sheet: sheetOf({ clips: both }) }).play(0).run(1.03);
  const before = stage.beat();
  const count = stage.parts().filter((p) => p.event.strand === "drums").length;
  stage.plan.adopt(sheetOf({ clips: [{}, { name: "bass" }] }), stage.now);
  stage.wake();
  assert.equal(stage.beat(), before);
  const changed = stage.now;
  stage.run(0.2);
  const [joined] = stage.parts().filter((p) => p.event.strand === "bass");
  assert.ok(joined.at - changed < frames(0.03), "a moment from now");
  assert.equal(joined.rises[0][1] - joined.rises[0][0], FADE);
  for (let at = joined.at; at < joined.at + FADE; at += 20) {
    const sum = stage.heard(at).filter((h) => h.event.strand !== "drums").reduce((s, h) => s + h.gain, 0);
    assert.ok(Math.abs(sum - 1) < 1e-9, "one comes as the other goes");
  }
  const drums = stage.parts().filter((p) => p.event.strand === "drums");
  assert.ok(drums.length - count <= 1, "what did not change plays on");
  assertHeard(stage, joined.at + FADE, ["drums@96", "bass@96"]);
});

test("events are exchanged in the middle of a cycle's turn that was handed out already", () => {
  const stage = new Stage();
  stage.plan.setCycle({ from: 0, to: 4 }, stage.now);
  stage.play(0).run(BAR_96 - 0.1);
  stage.plan.adopt(sheetOf({ clips: [{}, { name: "keys" }] }), stage.now);
  const from = stage.now + frames(0.03);
  stage.run(1);
  assertWhole(stage, from, stage.now - 1);
});

test("what is in hand joins at once or on the bar line, takes the place of its clips, and leaves", () => {
  const sheet = sheetOf({ clips: [{}, { name: "hand" }], hand: true });
  const stage = new Stage({ sheet }).play(0).run(1);
  stage.plan.hearHand("hand", stage.now);
  stage.run(0.2);
  assert.ok(stage.heard(stage.now).some((h) => h.event.track === "hand"));
  assert.equal(stage.heard(stage.now).filter((h) => h.event.strand === "hand").length, 1);
  stage.plan.hearHand(null, stage.now);
  stage.run(0.2);
  assert.ok(!stage.heard(stage.now).some((h) => h.event.track === "hand"));
  stage.plan.waits = "bar";
  stage.plan.hearHand("hand", stage.now);
  stage.run(3);
  const begun = stage.firstOf(() => true);
  const joined = stage.firstOf((e) => e.track === "hand", begun + frames(1.5));
  assert.equal(joined, begun + frames(BAR_96));
});

test("a block that comes late is heard from where it would be by then, with a fade, never twice", () => {
  const kitchen = new Kitchen();
  const stage = new Stage({ kitchen }).play(0).run(0.6);
  kitchen.aSecond = 0;
  kitchen.here = new Set([...kitchen.here].filter((k) => Number(k.split("/")[2]) < 4));
  stage.run(1.2); // 4 blocks last 1.49 s: what comes then is not there
  kitchen.aSecond = Infinity;
  const came = stage.now;
  stage.run(1);
  const parts = stage.parts().filter((p) => p.at >= came);
  assert.ok(parts[0].at - came <= frames(0.021));
  assert.ok(parts[0].rises.length === 1 && parts[0].offset > 0);
  assertWhole(stage, parts[0].at + FADE, stage.now);
  for (let at = 1000; at < came; at += 499) {
    assert.ok(stage.heard(at).reduce((s, h) => s + h.gain, 0) <= 1 + 1e-9);
  }
  // What sounded before the gap was let down, not cut.
  const end = stage.parts().filter((p) => p.at < came).at(-1);
  assert.ok(stage.heard(end.at + end.frames - 1).every((h) => h.gain < 0.02), "it ends in silence");
});

test("what was released while it waited is not started", () => {
  const kitchen = new Kitchen();
  const stage = new Stage({ kitchen, sheet: sheetOf({ clips: [{}, { name: "keys" }] }) }).play(0).run(0.6);
  kitchen.never = () => true;
  kitchen.aSecond = 0;
  kitchen.here = new Set([...kitchen.here].filter((k) => k.startsWith("drums") || Number(k.split("/")[2]) < 3));
  stage.run(1.0);
  stage.plan.adopt(sheetOf(), stage.now);
  stage.run(0.1);
  kitchen.never = () => false;
  kitchen.aSecond = Infinity;
  const from = stage.now;
  stage.run(1);
  assert.equal(stage.parts().filter((p) => p.event.strand === "keys" && p.at > from).length, 0);
});

test("a stall of two seconds: no two blocks over one another, and it is where it would be", () => {
  const stage = new Stage().play(0).run(1);
  const beat = stage.beat();
  stage.stall(2);
  stage.run(1);
  assert.ok(Math.abs(stage.beat() - beat - (3 * 96) / 60) < 1e-3);
  for (let at = 1000; at < stage.now; at += 251) {
    assert.ok(stage.heard(at).reduce((s, h) => s + h.gain, 0) <= 1 + 1e-9, `twice at ${at}`);
  }
  for (const part of stage.parts()) assert.ok(part.at >= part.given, "nothing is ordered for what is past");
  assert.equal(stage.clicks().filter((c) => c.at < c.given).length, 0);
});

test("a block that cannot be had is silence; the rest plays", () => {
  const kitchen = new Kitchen();
  kitchen.never = (key) => key.startsWith("keys");
  const stage = new Stage({ kitchen, sheet: sheetOf({ clips: [{}, { name: "keys" }] }) }).play(0).run(2);
  assertHeard(stage, stage.now, ["drums@96"]);
  stage.plan.adopt(sheetOf({ bpm: 120, clips: [{}, { name: "keys" }] }), stage.now);
  stage.run(4);
  assertHeard(stage, stage.now, ["drums@120"]);
});

test("the song stops at its end once all has rung out, and stands at the start", () => {
  const stage = new Stage({ sheet: sheetOf({ tail: 30_000, clips: [{ bars: 1, passes: 1 }] }) }).play(0).run(BAR_96 + 0.3);
  assert.equal(stage.plan.isPlaying, true);
  assert.equal(stage.heard(stage.now).length, 1);
  stage.run(1);
  assert.equal(stage.plan.isPlaying, false);
  assert.equal(stage.beat(), 0);
  assert.equal(stage.clicks().length, 4);
});

test("the song begins again at its end where that was chosen, on the sample", () => {
  const stage = new Stage({ sheet: sheetOf({ clips: [{ bars: 1, passes: 1 }] }) });
  stage.plan.beginsAgain = true;
  stage.play(0).run(2.5 * BAR_96);
  const begins = stage.parts().filter((p) => p.from === 0).map((p) => p.at);
  assert.deepEqual(begins.slice(0, 3).map((at) => at - begins[0]), [0, frames(BAR_96), 2 * frames(BAR_96)]);
});

test("an edit that makes the song longer while its end is near goes on", () => {
  const stage = new Stage({ sheet: sheetOf({ clips: [{ bars: 1, passes: 1 }] }) }).play(0).run(BAR_96 - 0.2);
  stage.plan.adopt(sheetOf({ clips: [{ bars: 1, passes: 4 }] }), stage.now);
  stage.run(1);
  assert.equal(stage.plan.isPlaying, true);
  assertWhole(stage, stage.now - frames(0.9), stage.now);
});

test("played from beyond its end the song goes on, as a click for a new idea", () => {
  const stage = new Stage({ sheet: sheetOf({ clips: [{ bars: 1, passes: 1 }] }) }).play(40).run(3);
  assert.equal(stage.plan.isPlaying, true);
  assert.ok(stage.clicks().length > 4);
});

test("blocks are wanted by when they are heard", () => {
  const stage = new Stage({ kitchen: new Kitchen(0), sheet: sheetOf({ clips: [{}, { name: "keys", beat: 2 }] }) });
  stage.plan.play(0);
  stage.wake();
  const wanted = stage.plan.wanted(stage.now);
  assert.deepEqual(wanted.map((w) => w.due), wanted.map((w) => w.due).sort((a, b) => a - b));
  assert.equal(wanted[0].digest.split("@")[0], "drums");
  assert.equal(wanted[0].due, stage.now);
});

test("steps of any size hand out the same", () => {
  const sums = [1, 7, 10].map((step) => {
    const stage = new Stage({ sheet: sheetOf({ clips: [{}, { name: "keys", beat: 1, bars: 1 }] }) });
    stage.plan.play(0);
    for (let i = 0; i < 240; i += step) {
      stage.wake();
      stage.now = 1000 + (i + step) * Math.round(STEP / 1.2);
    }
    const until = 1000 + frames(4);
    return stage.parts().filter((p) => p.at < until).map((p) => `${p.event.id} ${p.at} ${p.from} ${p.frames}`).sort().join("\n");
  });
  assert.equal(sums[0], sums[1]);
  assert.equal(sums[0], sums[2]);
});
