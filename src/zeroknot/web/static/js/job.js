// @ts-check
/** Something that the server does in the background. */

import { ApiError, getJson } from "./net/api.js";

/** @typedef {import("./types.js").Job} Job */

const LOOK_MS = 5_000; // where no event comes

/** @param {Job} job */
export const isOver = (job) => ["done", "failed", "cancelled"].includes(job.state);

/** What takes long, until it is over. @param {import("./session.js").Session} session @param {Job} job @returns {Promise<Job>} */
export async function ended(session, job) {
  while (!isOver(job)) {
    await new Promise((done) => {
      const end = () => {
        clearTimeout(look);
        deaf();
        done(null);
      };
      const look = setTimeout(end, LOOK_MS);
      const deaf = session.hear((event) => {
        const isIt = event.kind === "job" && event.job.id === job.id && isOver(event.job);
        if (isIt || event.kind === "missed") end();
      });
    });
    job = await getJson(`/api/jobs/${job.id}`);
  }
  if (job.state === "failed") throw new ApiError(job.error, 422);
  return job;
}
