/** As much of a page as scripts need that draw nothing: an address, a socket that can be made to tell, a place for what is said. */

export const said = [];
export const sockets = [];

class Socket {
  constructor(url) {
    this.url = url;
    sockets.push(this);
  }

  tell(message) {
    this.onmessage({ data: JSON.stringify(message) });
  }
}

const toast = {
  replaceChildren(sentence) {
    said.push(sentence);
  },
};
Object.assign(globalThis, {
  location: { protocol: "http:", host: "127.0.0.1" },
  WebSocket: Socket,
  document: { getElementById: () => toast },
  addEventListener: () => {},
});

/** A server that answers when it is told to. Each request waits in `asked`. */
export class Server {
  asked = [];

  constructor() {
    globalThis.fetch = (url, { method, body, headers }) =>
      new Promise((resolve) => this.asked.push({ url, method, headers, body: body && JSON.parse(body), resolve }));
  }

  /** Answer the oldest request, and let all that follows from it happen. */
  async answer(data, status = 200, headers = {}) {
    this.asked.shift().resolve({ ok: status < 400, status, headers: new Headers(headers), json: async () => data });
    await settled();
  }
}

/** Let all that needs no answer happen. */
export const settled = () => new Promise((done) => setTimeout(done, 0));
