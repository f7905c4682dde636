// Where the wiki lies: addresses that scripts make begin with its path, which the page says.
const base = globalThis.document?.body.dataset.base ?? "";

export const at = (path) => base + path;

// An address of this wiki as a path from its root.
export const within = (address) => (address.startsWith(`${base}/`) ? address.slice(base.length) : address);
