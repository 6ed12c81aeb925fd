// @ts-check
/** A loop that was made in a view a moment ago: told there for as long as it lies on the shelf. */

export class MadeHere {
  /** @param {import("./view.js").View} view */
  constructor(view) {
    this.view = view;
    /** @type {(() => void) | null} */
    this.say = null;
  }

  /** Told until undo takes it off the shelf, and again when redo puts it there; the next one takes its place. @param {string} sha @param {string} text @param {(text: string) => void} show */
  tell(sha, text, show) {
    const isFirst = this.say === null;
    this.say = () => show(this.view.session.history.unmade.has(sha) ? "" : text);
    if (isFirst) this.view.watch(() => this.say?.());
    else this.say();
  }
}
