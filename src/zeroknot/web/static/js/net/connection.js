// @ts-check
/**
 * Does the server answer? Asked again and again while it does not, with growing pauses, once for all
 * who wait.
 */

const FIRST_PAUSE_MS = 250;
const LONGEST_PAUSE_MS = 5_000;
const PING_DEADLINE_MS = 3_000;

export class Connection {
  /** @param {() => Promise<boolean>} [ping] */
  constructor(ping = pinged) {
    this.ping = ping;
    this.isAway = false;
    /** @type {Set<() => void>} called when it goes and when it is back */
    this.watchers = new Set();
    /** @type {Promise<void> | null} */
    this.returning = null;
  }

  /** Somebody got no answer: resolves once the server gives one. @returns {Promise<void>} */
  answers() {
    this.returning ??= this.waited().finally(() => {
      this.returning = null;
    });
    return this.returning;
  }

  async waited() {
    for (let pause = FIRST_PAUSE_MS; !(await this.ping()); pause = Math.min(LONGEST_PAUSE_MS, 2 * pause)) {
      this.set(true);
      await new Promise((done) => setTimeout(done, pause));
    }
    this.set(false);
  }

  /** @param {boolean} isAway */
  set(isAway) {
    if (this.isAway === isAway) return;
    this.isAway = isAway;
    for (const watcher of this.watchers) watcher();
  }
}

async function pinged() {
  try {
    return (await fetch("/api/alive", { cache: "no-store", signal: AbortSignal.timeout(PING_DEADLINE_MS) })).ok;
  } catch {
    return false;
  }
}

/** The one connection of this page. */
export const connection = new Connection();
