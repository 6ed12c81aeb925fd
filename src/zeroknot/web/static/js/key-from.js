// @ts-check
/** Who says what key a loop is in. */

import { percent } from "./format.js";

/** @param {Pick<import("./types.js").Hand, "key_from" | "heard_key">} known */
export function keyFromText({ key_from: from, heard_key: heard }) {
  if (from === "stated") return "stated by hand";
  if (from === "claimed") return "as its file says";
  if (from === "made") return "as it was made";
  if (!heard.key) return "no key was heard";
  const other = heard.runner_up ? `; or ${heard.runner_up}, ${percent(heard.runner_up_confidence)}` : "";
  return `heard as ${heard.key}, ${percent(heard.confidence)} sure${other}${from ? "" : ": too unsure to go by"}`;
}
