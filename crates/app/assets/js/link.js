// Talking to the server: saved changes by request, previews and news by WebSocket.

export class Refused extends Error {
  constructor(message, kind) { super(message); this.kind = kind; }
}

export async function ask(path, body, method = body ? 'POST' : 'GET') {
  let answer;
  try {
    answer = await fetch(path, { method, headers: body ? { 'Content-Type': 'application/json' } : {}, body: body ? JSON.stringify(body) : undefined });
  } catch {
    throw new Refused('The server does not answer. Nothing is lost: try again when it is back.', 'offline');
  }
  if (!answer.ok) {
    const refusal = await answer.json().catch(() => ({ error: `The server answered ${answer.status}.` }));
    throw new Refused(refusal.error, refusal.kind);
  }
  return answer;
}

/** Previews, the latest only: while one is under way, the newest ask waits and older ones are dropped. */
export class Live {
  constructor(id, hooks) {
    this.id = id;
    this.hooks = hooks;
    this.ticket = 0;
    this.open();
  }

  open() {
    this.socket = new WebSocket(`ws://${location.host}/api/parts/${this.id}/live`);
    this.socket.binaryType = 'arraybuffer';
    this.socket.onopen = () => { this.ready = true; this.hooks.linked(true); this.flush(); };
    this.socket.onclose = () => {
      if (this.ready !== false) this.hooks.linked(false);
      this.ready = false;
      this.busy = false;
      setTimeout(() => this.open(), 1500);
    };
    this.socket.onmessage = ({ data }) => {
      if (typeof data === 'string') {
        const note = JSON.parse(data);
        if (note.kind === 'changed') return this.hooks.changed(note.version);
        this.busy = false;
        if (note.ticket === this.ticket) this.hooks.refused(note.error);
      } else {
        this.busy = false;
        const ticket = Number(new DataView(data).getBigUint64(0, true));
        if (ticket === this.ticket) this.hooks.shown(data.slice(8));
        else if (ticket > (this.since ?? 0)) this.hooks.shown(data.slice(8));
      }
      this.flush();
    };
  }

  preview(edits) {
    this.waiting = { ticket: ++this.ticket, edits };
    this.flush();
  }

  /** Answers to earlier asks no longer matter. */
  forget() {
    this.waiting = null;
    this.since = ++this.ticket;
  }

  flush() {
    if (!this.waiting || this.busy || !this.ready) return;
    this.socket.send(JSON.stringify(this.waiting));
    this.waiting = null;
    this.busy = true;
  }
}
