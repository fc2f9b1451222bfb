// Talking to the server: saved changes by request, previews and news by WebSocket.

export class Refused extends Error {
  constructor(message, kind, at) {
    super(message);
    this.kind = kind;
    this.at = at;
  }
}

export async function ask(path, body, method = body ? 'POST' : 'GET') {
  let answer;
  try {
    answer = await fetch(path, {
      method,
      headers: body ? { 'Content-Type': 'application/json' } : {},
      body: body ? JSON.stringify(body) : undefined,
    });
  } catch {
    throw new Refused('The server does not answer. Nothing is lost: try again when it is back.', 'offline');
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
    this.socket.onopen = () => {
      this.ready = true;
      this.hooks.linked(true);
      this.flush();
    };
    this.socket.onclose = () => {
      if (this.ready !== false) this.hooks.linked(false);
      this.ready = false;
      this.rest();
      this.settle(Infinity);
      setTimeout(() => this.open(), 1500);
    };
    this.socket.onmessage = ({ data }) => this.heard(data);
  }

  heard(data) {
    if (typeof data === 'string') {
      const note = JSON.parse(data);
      if (note.kind === 'changed') return this.hooks.changed(note.version);
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
