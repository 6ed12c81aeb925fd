// @ts-check
/** A loop as a file of the person's own. */

import { ApiError, getBytes } from "../net/api.js";

/** @param {import("../session.js").Session} session @param {string} sha */
export async function downloadWav(session, sha) {
  try {
    const { data, headers } = await getBytes(`/api/loops/${sha}/wav?bits=24`);
    const name = /filename\*=UTF-8''([^;]+)/.exec(headers.get("content-disposition") ?? "")?.[1];
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([data], { type: "audio/wav" }));
    link.download = name ? decodeURIComponent(name) : "loop.wav";
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
    const lowered = Number(headers.get("x-lowered-db"));
    if (lowered > 0) {
      session.say(`It peaked ${lowered.toFixed(1)} dB over full scale; the 24-bit file is that much lower.`);
    }
  } catch (error) {
    if (error instanceof ApiError) session.say(error.message, "error");
  }
}
