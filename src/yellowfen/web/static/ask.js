// The one way to ask the server. Resolves to what it answers; throws Refused with its own sentence, or Unanswered, which
// also says what `stays` as it is.

export class Refused extends Error {
  constructor(said, status) { super(said); this.status = status; }
}
export class Unanswered extends Error {
  constructor(stays) { super(`The server does not answer${stays ? `; ${stays}` : ""}.`); }
}

// `json` or `body` is sent by POST unless a `method` is named; an answer is JSON, or text where `as` is "html".
export const ask = async (where, { method, json, body, as = "json", stays = "", keepalive = false } = {}) => {
  const headers = { accept: as === "html" ? "text/html" : "application/json" };
  if (json !== undefined) { headers["content-type"] = "application/json"; body = JSON.stringify(json); }
  let reply, answer;
  try {
    reply = await fetch(where, { method: method ?? (body === undefined ? "GET" : "POST"), body, headers, keepalive });
    if (reply.status !== 204) answer = reply.ok && as === "html" ? await reply.text() : await reply.json();
  } catch { throw new Unanswered(stays); }
  if (!reply.ok) throw new Refused(answer.problem ?? `The server answers ${reply.status}.`, reply.status);
  return answer;
};

export const pause = (ms) => new Promise((go) => setTimeout(go, ms));
