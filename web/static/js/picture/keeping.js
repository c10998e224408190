// @ts-check
// Holds on to what the server has not acknowledged, so that a reload or a crash of the browser
// loses nothing. IndexedDB while the page lives; localStorage where there is none, and in the moment
// in which the page goes, when nothing that takes time can still be done.

/** @typedef {{ key: string, bytes: Uint8Array }} Kept */

const STORE = "unacknowledged";

/** @param {Uint8Array} bytes of any number: more than a call takes arguments */
const base64 = (bytes) => btoa(Array.from(bytes, (byte) => String.fromCharCode(byte)).join(""));

/** @param {string} packed */
const unpacked = (packed) => Uint8Array.from(atob(packed), (c) => c.charCodeAt(0));

export class Keeping {
  /** @param {string} lesson */
  constructor(lesson) {
    this.lesson = lesson;
    this.prefix = `${STORE}:${lesson}:`;
    this.last = 0;
    /** @type {Promise<IDBDatabase | null>} */
    this.database = open();
  }

  /** Where the next one comes in their order: milliseconds of a clock that all loads of the page share. */
  next() {
    this.last = Math.max(performance.timeOrigin + performance.now(), this.last + 0.001);
    return this.last;
  }

  /** @param {Kept} kept */
  async put(kept, order = this.next()) {
    const store = await this.store("readwrite");
    store?.put({ lesson: this.lesson, key: kept.key, order, bytes: kept.bytes });
    // The page may go in the next moment.
    store?.transaction.commit();
    if (!store) this.write(kept, order);
  }

  /** @param {string} key */
  async drop(key) {
    const store = await this.store("readwrite");
    store?.delete([this.lesson, key]);
    if (store) return;
    try {
      localStorage.removeItem(this.prefix + key);
    } catch {
      // A forbidden storage holds nothing.
    }
  }

  /**
   * In the moment in which the page goes.
   * @param {Kept[]} all
   */
  leave(all) {
    for (const kept of all) this.write(kept, this.next());
  }

  /** @param {Kept} kept @param {number} order */
  write({ key, bytes }, order) {
    try {
      localStorage.setItem(this.prefix + key, `${order} ${base64(bytes)}`);
      return true;
    } catch {
      // A full or forbidden storage; what came before is in IndexedDB.
      return false;
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
    const known = new Set(rows.map(({ key }) => key));
    for (const [name, text] of this.written()) {
      const key = name.slice(this.prefix.length);
      const [order, packed] = text.split(" ");
      const bytes = unpacked(packed);
      if (!known.has(key)) rows.push({ key, order: Number(order), bytes });
      if (!store) continue;
      await this.put({ key, bytes }, Number(order));
      localStorage.removeItem(name);
    }
    return rows.sort((a, b) => a.order - b.order).map(({ bytes }) => bytes);
  }

  /** What is in localStorage of this lesson: name and text. */
  written() {
    try {
      this.takeOldForm();
      return Object.entries(localStorage).filter(([name]) => name.startsWith(this.prefix));
    } catch {
      return [];
    }
  }

  /** Before 28 November 2026 a page left all as one list. */
  takeOldForm() {
    const name = `${STORE}:${this.lesson}`;
    const list = localStorage.getItem(name);
    if (list === null) return;
    // Both forms may be too much for a storage that is nearly full.
    localStorage.removeItem(name);
    /** @type {[string, string][]} */
    const all = JSON.parse(list);
    if (all.every(([key, packed]) => this.write({ key, bytes: unpacked(packed) }, this.next()))) return;
    for (const [key] of all) localStorage.removeItem(this.prefix + key);
    localStorage.setItem(name, list);
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
