/** Typed changes of a project, as the server takes them. */

/** Changes that set values below one place. @param {string} at */
export const setsOf = (at, values) => Object.entries(values).map(([name, value]) => ({ kind: "set", path: `${at}/${name}`, value }));
