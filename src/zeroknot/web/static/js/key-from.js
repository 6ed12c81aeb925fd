// @ts-check
/** Who says what key a loop is in. */

import { percent } from "./format.js";

export const SAID = { stated: "stated by hand", claimed: "as its file says", made: "as it was made" };

/** @param {Pick<import("./types.js").Hand, "key_from" | "heard_key">} known */
export function keyFromText({ key_from: from, heard_key: heard }) {
  if (from && from !== "heard") return SAID[from];
  if (!heard.key) return "no key was heard";
  const other = heard.runner_up ? `; or ${heard.runner_up}, ${percent(heard.runner_up_confidence)}` : "";
  return `heard as ${heard.key}, ${percent(heard.confidence)} sure${other}${from ? "" : ": too unsure to go by"}`;
}
