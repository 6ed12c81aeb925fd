// @ts-check
/** Files of the person's own: what cannot be made is said, not downloaded. */

import { ApiError, getBytes, postBytes } from "../net/api.js";

const KEPT_MS = 10_000; // until the browser has taken it

/**
 * What an address gives, as a file under the name the server has for it.
 * @param {import("../session.js").Session} session @param {string} path @param {string} otherwise its name where the server has none
 * @param {unknown} [asked] what is sent there, where that takes more than an address
 * @returns {Promise<Headers | null>} null where there was nothing to be had
 */
export async function downloadFile(session, path, otherwise, asked) {
  try {
    const { data, headers } = asked === undefined ? await getBytes(path) : await postBytes(path, asked);
    const said = headers.get("content-disposition") ?? "";
    const whole = /filename\*=UTF-8''([^;]+)/.exec(said)?.[1];
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([data], { type: headers.get("content-type") ?? "" }));
    link.download = whole ? decodeURIComponent(whole) : /filename="([^"]+)"/.exec(said)?.[1] ?? otherwise;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), KEPT_MS);
    return headers;
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    session.say(error.message, "error");
    return null;
  }
}

/** A loop as a file. @param {import("../session.js").Session} session @param {string} sha */
export async function downloadWav(session, sha) {
  const headers = await downloadFile(session, `/api/loops/${sha}/wav?bits=24`, "loop.wav");
  const lowered = Number(headers?.get("x-lowered-db") ?? 0);
  if (lowered > 0) session.say(`It peaked ${lowered.toFixed(1)} dB over full scale; the 24-bit file is that much lower.`);
}
