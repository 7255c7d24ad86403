/**
 * How much is drawn, by how long drawing takes: without a graphics card the processor draws, and takes what it needs for
 * that from whoever traces.
 */

const IN_A_ROW = 3;
const LOOK_MS = 10;
/**
 * What is done without, one after the other, where drawings take longer than so many ms: half of the points each way saves
 * most, and what is seen stays; the others save a fifth each.
 */
const STEPS = /** @type {[string, number][]} */ ([["size", 70], ["shadows", 300], ["surroundings", 300]]);

export class AdaptiveQuality {
  constructor() {
    this.steps = 0;
    this.slow = 0;
  }

  /** Whether a step is done without. */
  without(step) {
    return STEPS.slice(0, this.steps).some(([name]) => name === step);
  }

  /** A drawing took so long; whether one step more is done without from now on. @param {number} ms */
  judge(ms) {
    if (this.steps === STEPS.length) return false;
    this.slow = ms > STEPS[this.steps][1] ? this.slow + 1 : 0;
    if (this.slow < IN_A_ROW) return false;
    Object.assign(this, { steps: this.steps + 1, slow: 0 });
    return true;
  }
}

/** Tell when all is drawn that a context was told to draw, and how long that took, ms. @param {WebGL2RenderingContext} gl */
export function whenDrawn(gl, done) {
  const began = performance.now();
  const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0); // null where the context is lost
  gl.flush();
  const look = () => {
    if (fence && gl.clientWaitSync(fence, 0, 0) === gl.TIMEOUT_EXPIRED) return setTimeout(look, LOOK_MS);
    if (fence) gl.deleteSync(fence);
    done(performance.now() - began);
  };
  setTimeout(look);
}
