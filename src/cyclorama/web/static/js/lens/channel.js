/** The lens's line to the studio: pictures of a frame, and what a hand drags, over one socket. */

const AGAIN_MS = 1500;

/**
 * A step of a drag.
 * @typedef {object} Step
 * @property {object[]} changes
 * @property {number} frame
 * @property {[number, number]|null} picture its size, px; null: none is wanted
 * @property {((pose: any) => void)|null} draw told the pose; null: none is wanted
 */

export class LensChannel {
  /** The step that is sent when the pose before it has come. @type {Step|null} */
  #next = null;
  /** The step whose pose is on its way, and its number. @type {{request: number, draw: (pose: any) => void}|null} */
  #posing = null;

  /**
   * @param {string} project
   * @param {{opened: () => void, closed: () => void, told: (message: object) => void, developed: (data: ArrayBuffer) => void, number: (step: Step) => number}} lens
   *   `number` gives the number of a request that is sent now
   */
  constructor(project, lens) {
    this.project = project;
    this.lens = lens;
    /** @type {WebSocket|null} */
    this.socket = null;
    this.disposed = false;
    this.#connect();
  }

  #connect() {
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    this.socket = new WebSocket(`${scheme}://${location.host}/live/projects/${this.project}/lens`);
    this.socket.binaryType = "arraybuffer";
    this.socket.onopen = () => this.lens.opened();
    this.socket.onmessage = ({ data }) => (typeof data === "string" ? this.#told(JSON.parse(data)) : this.lens.developed(data));
    this.socket.onclose = () => {
      this.forgetPoses();
      if (this.disposed) return;
      this.lens.closed();
      setTimeout(() => this.#connect(), AGAIN_MS);
    };
  }

  dispose() {
    this.disposed = true;
    this.socket?.close();
  }

  get open() {
    return this.socket?.readyState === WebSocket.OPEN;
  }

  /** @param {object} message @returns {boolean} whether it could be sent */
  send(message) {
    if (!this.open) return false;
    this.socket?.send(JSON.stringify(message));
    return true;
  }

  /** Send a step; while a pose is on its way only the newest waits for it. @param {Step} step */
  follow(step) {
    if (this.#posing) this.#next = step;
    else this.#send(step);
  }

  /** Poses on their way are not drawn any more. */
  forgetPoses() {
    this.#next = null;
    this.#posing = null;
  }

  #send(/** @type {Step} */ step) {
    const { changes, frame, picture, draw } = step;
    const [width, height] = picture ?? [0, 0];
    const request = this.lens.number(step);
    if (this.send({ drag: { request, frame, changes, pose: Boolean(draw), width, height } }) && draw) this.#posing = { request, draw };
  }

  #told(message) {
    if (message.pose === undefined) return this.lens.told(message);
    const [posing, next] = [this.#posing, this.#next];
    if (!posing || message.request !== posing.request) return null;
    this.forgetPoses();
    if (message.pose) posing.draw(message.pose);
    else this.lens.told({ error: message.error, request: null });
    if (next) this.follow(next);
    return null;
  }
}
