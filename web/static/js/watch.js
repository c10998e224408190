// @ts-check
// A film with its chapters: they are jumped to, and the one that is shown is marked.

/** @param {HTMLVideoElement} film */
export function prepareChapters(film) {
  const all = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".chapter")]);
  for (const chapter of all) {
    chapter.addEventListener("click", () => {
      film.currentTime = Number(chapter.dataset.at);
      film.play().catch(() => {});
    });
  }
  film.addEventListener("timeupdate", () => {
    const now = all.findLast((chapter) => Number(chapter.dataset.at) <= film.currentTime + 0.01);
    for (const chapter of all) {
      if (chapter === now) chapter.setAttribute("aria-current", "true");
      else chapter.removeAttribute("aria-current");
    }
  });
}

const film = document.getElementById("film");
if (film instanceof HTMLVideoElement) prepareChapters(film);
