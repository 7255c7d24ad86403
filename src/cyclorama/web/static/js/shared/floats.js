/** Numbers in messages of the studio. */

/** Numbers from base64 of float32. @param {string} text */
export function floats(text) {
  return new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer);
}
