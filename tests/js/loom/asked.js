// What the loom would allow and show, for tests that hold it against the server: questions as lines of JSON.
import { createInterface } from "node:readline";
import { hitLimits, intentOf, movable, preview, spanLimits } from "../../../src/zeroknot/web/static/js/loom/drags.js";
import { reach } from "../../../src/zeroknot/web/static/js/loom/model.js";

for await (const line of createInterface({ input: process.stdin })) {
  const { hand, attacks, kind, rail, chosen, second, share } = JSON.parse(line);
  const moved = movable(hand, new Set(chosen), rail);
  const limits = kind === "span" ? spanLimits(hand) : kind === "hit" ? hitLimits(hand, attacks, second) : reach(hand, moved, rail);
  const start = kind === "hit" || kind === "span" ? second : 0;
  const by = share < 0 ? -share * limits[0] : share * limits[1];
  const drag = { kind, rail, start, moved, limits, by, second, from: 0, view: null };
  console.log(JSON.stringify({ limits, intent: intentOf(hand, attacks, drag), knots: preview(hand, attacks, drag) }));
}
