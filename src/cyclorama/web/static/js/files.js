/** Asking for files. */

/** @param {string} accept @param {boolean} multiple @returns {Promise<File[]>} empty when none was chosen */
export function pickFiles(accept, multiple = false) {
  return new Promise((resolve) => {
    const input = document.createElement("input");
    Object.assign(input, { type: "file", accept, multiple });
    input.addEventListener("change", () => resolve([...input.files]));
    input.addEventListener("cancel", () => resolve([]));
    input.click();
  });
}
