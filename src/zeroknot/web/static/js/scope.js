// @ts-check
/** What starts together ends together: listeners, timers, observers. */
export class Scope {
  constructor() {
    /** @type {(() => void)[]} */
    this.endings = [];
    this.ended = false;
  }

  /** @param {() => void} ending */
  add(ending) {
    if (this.ended) ending();
    else this.endings.push(ending);
  }

  /**
   * @param {EventTarget} target @param {string} type @param {(event: any) => void} handler
   * @param {AddEventListenerOptions} [options]
   */
  on(target, type, handler, options) {
    target.addEventListener(type, handler, options);
    this.add(() => target.removeEventListener(type, handler, options));
  }

  /** @param {Element} element @param {() => void} resized */
  onResize(element, resized) {
    const observer = new ResizeObserver(() => resized());
    observer.observe(element);
    this.add(() => observer.disconnect());
  }

  end() {
    this.ended = true;
    for (const ending of this.endings.splice(0).reverse()) ending();
  }
}
