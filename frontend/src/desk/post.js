import { at } from "../address.js";

// Sends fields, files among them, to the server as the form would, with the form's token; gets a fresh token after a new sign-in.
async function send(address, fields, form, options) {
  const body = Object.values(fields).some((value) => value instanceof Blob) ? new FormData() : new URLSearchParams();
  for (const [name, value] of Object.entries(fields)) body.set(name, value);
  body.set("token", form.elements.token.value);
  const answer = await fetch(address, { method: "POST", body, ...options });
  const isJson = answer.headers.get("content-type")?.includes("json");
  return { ok: answer.ok && isJson, said: isJson ? await answer.json() : { code: `http_${answer.status}` } };
}

/** `{ok, said}`; `said` is the JSON that came back. */
export async function post(address, fields, form, options = {}) {
  const answer = await send(address, fields, form, options);
  if (answer.ok || !["form_token", "http_403"].includes(answer.said.code)) return answer;
  // Signed in again elsewhere: the token of this page belongs to the session that ended.
  const fresh = await fetch(at("/-/token")).then((found) => found.json());
  if (!fresh.signed_in) return { ok: false, said: { code: "sign_in" } };
  form.elements.token.value = fresh.token;
  return send(address, fields, form, options);
}
