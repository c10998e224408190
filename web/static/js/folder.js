// @ts-check
// A folder on this machine that files are written into, instead of to the browser's downloads: where browsers can do that.

/** The browser's name for the folder is kept in a database of its own. */
const KEPT = "bozzetto-folder";

/** @type {FileSystemDirectoryHandle | null} */
let folder = null;

/** What browsers have of this that not all of them have. */
const { showDirectoryPicker } =
  /** @type {{ showDirectoryPicker?: (options: object) => Promise<FileSystemDirectoryHandle> }} */ (
    /** @type {unknown} */ (window)
  );

/** Whether a folder can be chosen here. */
export const canChoose = showDirectoryPicker !== undefined;

/** @returns {Promise<IDBDatabase>} */
const opened = () =>
  new Promise((resolve, reject) => {
    const request = indexedDB.open(KEPT, 1);
    request.onupgradeneeded = () => request.result.createObjectStore("folder");
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error);
  });

/** @param {IDBTransactionMode} mode @param {(store: IDBObjectStore) => IDBRequest} doing */
async function inStore(mode, doing) {
  const database = await opened();
  const request = doing(database.transaction("folder", mode).objectStore("folder"));
  return new Promise((resolve, reject) => {
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error);
  });
}

/** The folder that was chosen; `null` when there is none. */
export async function known() {
  folder = canChoose ? ((await inStore("readonly", (s) => s.get("it")).catch(() => null)) ?? null) : null;
  return folder;
}

/** Lets a folder be chosen; `null` when that was left. */
export async function choose() {
  try {
    const chosen = await showDirectoryPicker?.({ mode: "readwrite" });
    if (!chosen) return null;
    await inStore("readwrite", (s) => s.put(chosen, "it"));
    folder = chosen;
    return chosen;
  } catch {
    return null;
  }
}

export async function forget() {
  folder = null;
  await inStore("readwrite", (s) => s.delete("it"));
}

/** @param {FileSystemDirectoryHandle} onto */
async function isAllowed(onto) {
  const asks =
    /** @type {{ queryPermission?: (o: object) => Promise<string>, requestPermission?: (o: object) => Promise<string> }} */ (
      /** @type {unknown} */ (onto)
    );
  const how = { mode: "readwrite" };
  if ((await asks.queryPermission?.(how)) === "granted") return true;
  return (await asks.requestPermission?.(how)) === "granted";
}

/** The name that a server gives to what it sends. @param {Response} response */
function nameOf(response) {
  const said = response.headers.get("content-disposition") ?? "";
  return decodeURIComponent(said.match(/filename\*=UTF-8''([^;]*)/)?.[1] ?? "capture");
}

/** A new file, and its name; one of the same name is left as it is. @param {FileSystemDirectoryHandle} onto @param {string} name */
async function another(onto, name) {
  const [, stem, end] = name.match(/^(.*?)(\.[^.]*)?$/) ?? ["", name, ""];
  for (let number = 1; ; number++) {
    const counted = number === 1 ? name : `${stem} (${number})${end ?? ""}`;
    try {
      await onto.getFileHandle(counted);
    } catch {
      return { name: counted, file: await onto.getFileHandle(counted, { create: true }) };
    }
  }
}

/** Downloads a file as browsers do. @param {string} address */
function download(address) {
  const link = document.createElement("a");
  link.href = address;
  link.click();
}

/**
 * Fetches a file into the folder, if there is one, and otherwise to the browser's downloads. Gives where it is.
 * @param {string} address
 * @returns {Promise<string>}
 */
export async function save(address) {
  const onto = folder;
  if (!onto) {
    download(address);
    return "downloaded";
  }
  try {
    if (!(await isAllowed(onto))) throw new DOMException("", "NotAllowedError");
    const response = await fetch(address);
    if (!response.ok) return response.headers.get("x-bozzetto-says") ?? "not saved: the server did not send it";
    const { name, file } = await another(onto, nameOf(response));
    const writer = await file.createWritable();
    await writer.write(await response.blob());
    await writer.close();
    return `saved as ${name} in ${onto.name}`;
  } catch (e) {
    const why = e instanceof DOMException ? e.name : "";
    if (why === "" && !navigator.onLine) return "not saved: the line to the server is down";
    download(address);
    const words = { NotFoundError: "is not there any more", NotAllowedError: "may not be written to" }[why];
    return `downloaded: the folder ${onto.name} ${words ?? "could not be written to"}`;
  }
}

/**
 * Has what is marked `data-file` saved where files go.
 * @param {(text: string) => void} says
 */
export async function prepareFolder(says) {
  await known();
  /** @param {Event} e @param {string} address */
  const takes = async (e, address) => {
    if (!folder) return;
    e.preventDefault();
    const words = await save(address);
    says(`${words[0].toUpperCase()}${words.slice(1)}.`);
  };
  document.addEventListener("click", (e) => {
    const link = /** @type {HTMLElement} */ (e.target).closest("a[data-file]");
    if (link instanceof HTMLAnchorElement) takes(e, link.href);
  });
  document.addEventListener("submit", (e) => {
    const form = /** @type {HTMLFormElement} */ (e.target);
    if (form.dataset.file === undefined || form.method !== "get") return;
    const by = /** @type {HTMLButtonElement | null} */ (e.submitter);
    const address = new URL(by?.hasAttribute("formaction") ? by.formAction : form.action);
    address.search = new URLSearchParams(/** @type {any} */ (new FormData(form))).toString();
    takes(e, address.href);
  });
}
