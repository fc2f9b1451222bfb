// Talking to the server: saved changes by request, previews and news by WebSocket.

/** Refusals after which the same request may do. */
const PASSING = ['offline', 'database', 'uncertain', 'too_slow', 'busy', 'stopped'];

export class Refused extends Error {
  constructor(message, kind, at) {
    super(message);
    this.kind = kind;
    this.at = at;
  }
  get mayBeTriedAgain() {
    return PASSING.includes(this.kind);
  }
}

/** A word for one request: sent again with it, it is carried out once. */
export const newKey = () => crypto.randomUUID();

/** Asks the server; `body` is sent as JSON, `text` as it is. */
export async function ask(
  path,
  { body, text = body && JSON.stringify(body), key, method = text ? 'POST' : 'GET' } = {},
) {
  const headers = {};
  if (text) headers['Content-Type'] = 'application/json';
  if (key) headers['Idempotency-Key'] = key;
  let answer;
  try {
    answer = await fetch(path, { method, headers, body: text });
  } catch {
    const saving = 'It may have been saved before the connection broke; trying again is safe, it is never done twice.';
    const words = method === 'GET' ? 'Nothing is lost: try again when it is back.' : saving;
    throw new Refused(`The server does not answer. ${words}`, 'offline');
  }
  if (!answer.ok) {
    const refusal = await answer.json().catch(() => ({ error: `The server answered ${answer.status}.` }));
    throw new Refused(refusal.error, refusal.kind, refusal.at);
  }
  return answer;
}

/** Views of the part, the latest only: while one is under way, the newest ask waits and older ones are dropped. */
export class Live {
  constructor(id, hooks) {
    this.id = id;
    this.hooks = hooks;
    this.ticket = 0;
    this.since = 0;
    this.settlers = [];
    this.open();
  }

  open() {
    this.socket = new WebSocket(`ws://${location.host}/api/parts/${this.id}/live`);
    this.socket.binaryType = 'arraybuffer';
    this.told = false;
    this.socket.onopen = () => {
      this.ready = true;
      this.hooks.linked(true);
      this.flush();
    };
    this.socket.onclose = () => {
      if (this.ready !== false) this.hooks.linked(false);
      this.ready = false;
      // Refused at once: the part may be gone.
      if (!this.told) this.hooks.unopened();
      this.rest();
      this.settle(Infinity);
      setTimeout(() => this.open(), 1500);
    };
    this.socket.onmessage = ({ data }) => this.heard(data);
  }

  heard(data) {
    if (typeof data === 'string') {
      const note = JSON.parse(data);
      if (note.kind === 'opened') {
        this.told = true;
        return this.hooks.opened(note.version);
      }
      if (note.kind === 'changed') return this.hooks.changed(note.version);
      if (note.kind === 'removed') return this.hooks.removed();
      if (note.kind === 'progress') return this.hooks.progress(note);
      this.rest();
      if (note.ticket === this.ticket) this.hooks.refused(note.error);
      this.settle(note.ticket);
      this.flush();
    } else {
      this.rest();
      // The next one is made while this one is being shown.
      this.flush();
      const ticket = Number(new DataView(data).getBigUint64(0, true));
      // An answer that was overtaken by a saved change is not shown: it would flicker.
      if (ticket >= this.since) Promise.resolve(this.hooks.shown(data.slice(8))).finally(() => this.settle(ticket));
      else this.settle(ticket);
    }
  }

  rest() {
    this.busy = false;
    clearTimeout(this.slow);
    this.hooks.progress(null);
  }

  settle(ticket) {
    const done = this.settlers.filter((s) => s.ticket <= ticket);
    this.settlers = this.settlers.filter((s) => s.ticket > ticket);
    done.forEach((s) => s.resolve());
  }

  /** Asks for the part with edits that are not saved; none shows it as it is saved. */
  show(edits = []) {
    this.waiting = {
      do: 'show',
      ticket: ++this.ticket,
      version: this.hooks.version(),
      sheet: this.hooks.sheet(),
      fineness: this.hooks.fineness(),
      looks: this.hooks.looks(),
      edits,
    };
    this.flush();
    return this.ticket;
  }

  /** As `show`, for what was just saved: answers to earlier asks no longer matter. Ends when it is shown. */
  async showSaved() {
    this.since = this.show();
    await new Promise((resolve) => {
      if (this.ready === false) resolve();
      else this.settlers.push({ ticket: this.ticket, resolve });
    });
  }

  stop() {
    this.waiting = null;
    if (this.ready) this.socket.send(JSON.stringify({ do: 'stop' }));
  }

  flush() {
    if (!this.waiting || this.busy || !this.ready) return;
    this.socket.send(JSON.stringify(this.waiting));
    this.waiting = null;
    this.busy = true;
    this.slow = setTimeout(() => this.hooks.progress({ done: 0 }), 400);
  }
}
