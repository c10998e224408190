// @ts-check
// Who goes by keyboard stays where they were when htmx puts something in place of what they pressed.

/** @param {Element} within */
const controls = (within) =>
  /** @type {HTMLElement[]} */ ([...within.querySelectorAll("button, a[href], input, select, summary")]);

/** What had the keyboard: which control, counted from 0, of which element. @type {{ id: string, at: number } | null} */
let held = null;

document.addEventListener("htmx:beforeSwap", () => {
  const active = document.activeElement;
  const within = active?.matches(":focus-visible") ? active.parentElement?.closest("[id]") : null;
  held = within ? { id: within.id, at: controls(within).indexOf(/** @type {HTMLElement} */ (active)) } : null;
});

document.addEventListener("htmx:afterSettle", () => {
  const within = held && document.activeElement === document.body ? document.getElementById(held.id) : null;
  if (held && within) {
    const all = controls(within);
    const enabled = (/** @type {HTMLElement | undefined} */ one) => one && !one.matches(":disabled");
    const same = all[Math.min(held.at, all.length - 1)];
    (enabled(same) ? same : all.find(enabled))?.focus({ preventScroll: true });
  }
  held = null;
});
