// @ts-check
// Holds on to what the server has not acknowledged, so that a reload or a crash of the browser
// loses nothing. IndexedDB while the page lives; localStorage in the moment in which it goes, when
// nothing that takes time can still be done.

/** @typedef {{ key: string, bytes: Uint8Array }} Kept */

const STORE = "unacknowledged";

/** @param {Uint8Array} bytes of any number: more than a call takes arguments */
const base64 = (bytes) => btoa(Array.from(bytes, (byte) => String.fromCharCode(byte)).join(""));

export class Keeping {
  /** @param {string} lesson */
  constructor(lesson) {
    this.lesson = lesson;
    this.lastWords = `${STORE}:${lesson}`;
    /** @type {Promise<IDBDatabase | null>} */
    this.database = open();
  }

  /** @param {Kept} kept */
  async put({ key, bytes }) {
    const order = performance.timeOrigin + performance.now();
    (await this.store("readwrite"))?.put({ lesson: this.lesson, key, order, bytes });
  }

  /** @param {string} key */
  async drop(key) {
    (await this.store("readwrite"))?.delete([this.lesson, key]);
  }

  /**
   * In the moment in which the page goes.
   * @param {Kept[]} all
   */
  leave(all) {
    const text = all.map(({ key, bytes }) => [key, base64(bytes)]);
    try {
      if (text.length) localStorage.setItem(this.lastWords, JSON.stringify(text));
      else localStorage.removeItem(this.lastWords);
    } catch {
      // A full or forbidden storage; what came before is in IndexedDB.
    }
  }

  /**
   * What earlier loads of this page had not got acknowledged, oldest first.
   * @returns {Promise<Uint8Array[]>}
   */
  async all() {
    const store = await this.store("readonly");
    /** @type {{ key: string, order: number, bytes: Uint8Array }[]} */
    const rows = store ? await done(store.index("lesson").getAll(this.lesson)) : [];
    rows.sort((a, b) => a.order - b.order);
    const found = new Map(rows.map((row) => [row.key, row.bytes]));
    try {
      const text = localStorage.getItem(this.lastWords);
      localStorage.removeItem(this.lastWords);
      for (const [key, packed] of JSON.parse(text ?? "[]")) {
        const bytes = Uint8Array.from(atob(packed), (c) => c.charCodeAt(0));
        if (!found.has(key)) {
          found.set(key, bytes);
          await this.put({ key, bytes });
        }
      }
    } catch {
      // Not written by us, or not allowed.
    }
    return [...found.values()];
  }

  /** @param {IDBTransactionMode} mode */
  async store(mode) {
    const database = await this.database;
    return database?.transaction(STORE, mode).objectStore(STORE) ?? null;
  }
}

/** @returns {Promise<IDBDatabase | null>} */
function open() {
  return new Promise((resolve) => {
    const request = indexedDB.open("bozzetto", 1);
    request.onupgradeneeded = () => {
      const store = request.result.createObjectStore(STORE, { keyPath: ["lesson", "key"] });
      store.createIndex("lesson", "lesson");
    };
    request.onsuccess = () => resolve(request.result);
    // Private windows of some browsers have none; then a reload is on its own.
    request.onerror = () => resolve(null);
  });
}

/**
 * @template T
 * @param {IDBRequest<T>} request
 * @returns {Promise<T>}
 */
function done(request) {
  return new Promise((resolve, reject) => {
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error);
  });
}
