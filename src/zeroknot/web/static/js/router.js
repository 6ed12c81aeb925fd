// @ts-check
/** Going from view to view without leaving the page, so that the transport never stops. */

import { ApiError, getInner } from "./net/api.js";

const GONE = "What was in hand is there no longer; here is what came last.";

/** What an address has in hand, if it says. @param {string} path */
const handOf = (path) => path.split("/")[4];

export class Router {
  /** @param {HTMLElement} place @param {import("./session.js").Session} session */
  constructor(place, session) {
    this.place = place;
    this.session = session;
    this.turn = 0;
    document.addEventListener("click", (event) => this.clicked(event));
    window.addEventListener("popstate", () => this.show(location.pathname, false));
    this.mark();
  }

  /** @param {MouseEvent} event */
  clicked(event) {
    if (event.defaultPrevented || event.button !== 0 || event.metaKey || event.ctrlKey) return;
    const link = /** @type {Element} */ (event.target).closest("a[data-inner]");
    if (!(link instanceof HTMLAnchorElement)) return;
    event.preventDefault();
    void this.show(link.pathname, true);
  }

  /** @param {string} path @param {boolean} isNew */
  async show(path, isNew) {
    this.turn += 1;
    const turn = this.turn;
    try {
      const { html, url } = await getInner(path);
      if (turn !== this.turn) return;
      if (isNew) history.pushState({}, "", url);
      else if (url !== path) history.replaceState({}, "", url);
      if (handOf(path) && handOf(path) !== handOf(url)) this.session.say(GONE, "info");
      this.place.innerHTML = html;
      const data = this.place.querySelector("[data-title]");
      this.place.focus({ preventScroll: true });
      document.title = `${data?.getAttribute("data-title") ?? "Zero Knot"} – Zero Knot`;
      this.mark();
    } catch (error) {
      if (error instanceof ApiError) this.session.say(error.message, "error");
    }
  }

  /** What is in hand goes by another name from now on: the page's address and the rail's are of that. @param {string} hand */
  rename(hand) {
    const about = this.place.querySelector("[data-hand]");
    const was = about?.getAttribute("data-hand");
    if (!was || was === hand) return;
    about?.setAttribute("data-hand", hand);
    history.replaceState({}, "", location.pathname.replace(was, hand));
    this.mark();
  }

  /** Show in the rail which view this is. */
  mark() {
    const about = this.place.querySelector("[data-noun]");
    const noun = about?.getAttribute("data-noun");
    const hand = about?.getAttribute("data-hand");
    // What is in hand stays so from view to view.
    if (hand) for (const link of document.querySelectorAll("nav.rail a[data-of-hand]")) link.setAttribute("href", `/p/${this.session.state.id}/${link.getAttribute("data-noun")}/${hand}`);
    for (const link of document.querySelectorAll("nav.rail a")) {
      if (link.getAttribute("data-noun") === noun) link.setAttribute("aria-current", "page");
      else link.removeAttribute("aria-current");
    }
  }
}
