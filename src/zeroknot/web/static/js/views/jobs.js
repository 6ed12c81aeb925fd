// @ts-check
/** What is being done in the background: how far it is, and an end to it. */

import { ApiError, getJson, post } from "../net/api.js";
import { percent } from "../format.js";
import { isOver } from "../job.js";

/** @typedef {import("../types.js").Job} Job */

/** @param {import("../session.js").Session} session */
export const jobs = (session) => () => ({
  /** @type {{id: string, text: string, share: number}[]} */
  jobs: [],

  init() {
    session.hear((event) => {
      if (event.kind === "job") this.take(event.job);
      else if (event.kind === "missed") void this.load();
    });
    void this.load();
  },

  async load() {
    try {
      const found = /** @type {Job[]} */ (await getJson("/api/jobs"));
      this.jobs = [];
      for (const job of found) this.take(job);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      session.say(error.message, "error");
    }
  },

  /** Files that come in have a place of their own on the shelf. @param {Job} job */
  take(job) {
    if (job.kind === "bring") return;
    const others = this.jobs.filter((j) => j.id !== job.id);
    if (isOver(job)) {
      this.jobs = others;
      return;
    }
    const share = job.total ? job.done / job.total : 0;
    this.jobs = [...others, { id: job.id, text: `${job.label}, ${percent(share)}`, share }];
  },

  /** @param {string} id */
  stop(id) {
    post(`/api/jobs/${id}/cancel`).catch((error) => session.say(error.message, "error"));
  },
});
