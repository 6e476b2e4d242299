// What the server does not have yet, kept in this browser's own store: entries, what was refused, pictures.
// One queue for all tabs: each has a copy in memory, which the others' changes bring up to date.

import { openDB } from "./vendor/idb.js";

const NAME = "galene", VERSION = 2, OLD_QUEUE = "galene:queue", OLD_REFUSED = "galene:refused";

/** @typedef {import("./vendor/idb.js").IDBPDatabase} Store */

/** @returns {Promise<Store>} */
const openStore = () => openDB(NAME, VERSION, {
  upgrade(db) {
    const names = db.objectStoreNames;
    if (!names.contains("pictures")) db.createObjectStore("pictures", { keyPath: "id" });
    if (!names.contains("entries")) db.createObjectStore("entries", { keyPath: "seq", autoIncrement: true });
    if (!names.contains("refused")) db.createObjectStore("refused", { keyPath: "id" });
  },
  blocking(_now, _next, event) { /** @type {IDBDatabase} */ (event.target).close(); },
});

/** A list out of a text, empty where it is none. @param {string | null} text @returns {object[]} */
const parsed = (text) => { try { return JSON.parse(text ?? "[]") ?? []; } catch { return []; } };

export class Queue {
  /** @type {Store | null} */
  #db = null;
  /** @type {BroadcastChannel | null} */
  #channel = null;
  #changed;
  /** @type {any[]} */
  entries = [];
  /** @type {any[]} */
  refused = [];
  /** @type {any[]} */
  pictures = [];

  constructor(changed = () => {}) { this.#changed = changed; }

  /** Open the store and read it; without one the queue keeps nothing, and `add` says so. */
  async open() {
    try {
      this.#db = await openStore();
      await this.#carryOver();
      await this.read();
      this.#channel = new BroadcastChannel(NAME);
      this.#channel.onmessage = async () => { await this.read(); this.#changed(); };
      navigator.storage?.persist?.().catch(() => {});
    } catch { this.#db = null; }
    return this;
  }

  get keeps() { return this.#db !== null; }

  async #ask(name, mode, use) {
    if (!this.#db) throw new Error("no store");
    const transaction = this.#db.transaction(name, mode, { durability: "strict" });
    // Only a finished transaction is kept; a request that went well may still be taken back.
    const [found] = await Promise.all([use(transaction.store), transaction.done]);
    return found;
  }

  async #carryOver() {
    for (const [old, store] of [[OLD_QUEUE, "entries"], [OLD_REFUSED, "refused"]]) {
      const list = parsed(localStorage.getItem(old));
      for (const one of list) await this.#ask(store, "readwrite", (s) => s.put(one));
      localStorage.removeItem(old);
    }
  }

  async read() {
    if (!this.#db) return;
    this.entries = await this.#ask("entries", "readonly", (s) => s.getAll());
    this.refused = await this.#ask("refused", "readonly", (s) => s.getAll());
    this.pictures = await this.#ask("pictures", "readonly", (s) => s.getAll());
  }

  async #write(name, use) {
    try {
      await this.#ask(name, "readwrite", use);
    } catch { return false; }
    await this.read();
    this.#channel?.postMessage("changed");
    return true;
  }

  /** Keep an entry behind the others. False when this browser can not: nothing is kept then. */
  add(entry) { return this.#write("entries", (s) => s.add(entry)); }

  remove(ids) {
    const gone = this.entries.filter((e) => ids.includes(e.id)).map((e) => e.seq);
    return this.#write("entries", (s) => Promise.all(gone.map((seq) => s.delete(seq))));
  }

  /** Set an entry aside with what it held and why the server did not take it: a person decides. */
  refuse(entry, text) { return this.#write("refused", (s) => s.put({ ...entry, seq: undefined, text })); }

  dismiss(id) { return this.#write("refused", (s) => s.delete(id)); }

  /** Send once more what was set aside, as a new entry at the end. */
  async again(id) {
    const entry = this.refused.find((r) => r.id === id);
    if (!entry || !entry.kind) return false;
    const { text: _text, seq: _seq, ...plain } = entry;
    const kept = await this.add({ ...plain, id: crypto.randomUUID?.() || `e-${Date.now()}` });
    return kept && this.dismiss(id);
  }

  keepPicture(picture) { return this.#write("pictures", (s) => s.put(picture)); }

  dropPicture(id) { return this.#write("pictures", (s) => s.delete(id)); }
}

/** Run the work in one tab at a time: the others wait for their turn and then find what is left. */
export const alone = (name, work) => (navigator.locks ? navigator.locks.request(name, work) : work());
