// @ts-check
// Who this tab is to the server.

/**
 * The author that this tab was before it was loaded again; not that of a tab it was copied from.
 * @param {string} lesson @returns {Promise<string | undefined>}
 */
export async function author(lesson) {
  const known = sessionStorage.getItem(`author:${lesson}`) ?? undefined;
  if (!known || !navigator.locks) return known;
  return new Promise((resolve) => {
    navigator.locks.request(`author:${known}`, { ifAvailable: true }, (lock) => {
      resolve(lock ? known : undefined);
      return lock ? new Promise(() => {}) : undefined;
    });
  });
}

/** @param {string} lesson @param {string} author */
export const keepAuthor = (lesson, author) => sessionStorage.setItem(`author:${lesson}`, author);

/** A number that no other page has drawn. */
export const nonce = () => crypto.getRandomValues(new Uint32Array(1))[0];
