/** Asking for files. */

/** What is chosen where a picture is wanted. */
export const PICTURES = ".png,.jpg,.jpeg,.tif,.tiff,.webp";

/** @param {string} accept @param {boolean} multiple @returns {Promise<File[]>} empty when none was chosen */
export function pickFiles(accept, multiple = false) {
  return new Promise((resolve) => {
    const input = document.createElement("input");
    Object.assign(input, { type: "file", accept, multiple, hidden: true });
    const done = (files) => (input.remove(), resolve(files));
    input.addEventListener("change", () => done([...(input.files ?? [])]));
    input.addEventListener("cancel", () => done([]));
    document.body.append(input); // outside the page it may be collected while the dialog is open
    input.click();
  });
}
