// The line to the server, against a real one: no tap is lost, none goes out twice or under another name, what is refused is told.

import assert from "node:assert/strict";
import { createServer } from "node:http";
import { after, beforeEach, test } from "node:test";

/** What a browser keeps, as it keeps it: text by key, enumerable keys. */
class Store {
  getItem(key) { return Object.hasOwn(this, key) ? this[key] : null; }
  setItem(key, value) { this[key] = String(value); }
}
globalThis.localStorage = new Store();
const { Line } = await import("../../merak/web/static/js/chair/line.js");

/** What came in, what is answered next (a status for a batch), and how the server tells where it stands. */
const heard = { batches: [], seq: 0, answers: () => 200, tokens: [] };
const server = createServer(async (request, response) => {
  let text = "";
  for await (const part of request) text += part;
  const body = text ? JSON.parse(text) : {};
  const send = (status, said) => response.writeHead(status, { "content-type": "application/json" }).end(JSON.stringify(said));
  if (request.method === "GET") return send(200, { seq: heard.seq, told: "asked" });
  heard.tokens.push(request.headers["x-csrf-token"]);
  if (request.url.endsWith("/machine")) {
    return body.fault ? send(409, { error: { words: "The cable is out." } }) : send(200, { state: { seq: (heard.seq += 1) }, answer: { ok: true, words: "", value: 36.4 } });
  }
  const taps = body.taps.map((tap) => tap.id), status = heard.answers(body.taps);
  if (status === 0) return request.socket.destroy();
  heard.batches.push({ taps, status, sent: body.sent });
  return status === 200 ? send(200, { seq: (heard.seq += 1) }) : send(status, status === 500 ? "no json for you" : { error: { words: `refused ${status}` } });
});
await new Promise((ready) => server.listen(0, "127.0.0.1", ready));
const { port } = server.address(), fetched = globalThis.fetch;
globalThis.fetch = (path, options) => fetched(`http://127.0.0.1:${port}${path}`, options);
after(() => { server.closeAllConnections(); server.close(); });

beforeEach(() => {
  globalThis.localStorage = new Store();
  Object.assign(heard, { batches: [], seq: 0, answers: () => 200, tokens: [] });
});

/** A line of somebody at a visit; what it took and said. */
function lineOf(me = "adaeze", visit = "v1") {
  const took = [], said = [];
  const line = new Line(visit, me, "token-7", (state) => took.push(state), (words, late, aside) => said.push({ words, late, aside: aside.length }));
  return { line, took, said, latest: () => said.at(-1) };
}
const tap = (id, kind = "count") => ({ id, kind, at: "2026-01-01T10:00:00Z" });
const kept = (key = "merak.taps.v1.adaeze") => JSON.parse(localStorage.getItem(key) ?? "[]").map((one) => one.id);
/** Until nothing is under way. */
async function quiet(line) {
  do await new Promise((go) => setImmediate(go)); while (line.sending);
}
/** Lays taps in the queue without sending, as without a network. */
function laid(line, ...taps) {
  line.sending = true;
  for (const one of taps) line.push(one);
  line.sending = false;
}

test("a tap is kept before it is sent, and forgotten once it is acknowledged", async () => {
  const { line, took, latest } = lineOf();
  line.push(tap("a"));
  assert.deepEqual(kept(), ["a"], "kept while it is on its way");
  await quiet(line);
  assert.deepEqual([kept(), heard.batches.map((one) => one.taps), took.length], [[], [["a"]], 1]);
  assert.deepEqual(latest(), { words: "all kept", late: false, aside: 0 });
  assert.deepEqual(heard.tokens, ["token-7"]);
});

test("taps go out in their order, and each carries its clock and its page load", async () => {
  const { line } = lineOf();
  for (const id of ["a", "b", "c"]) line.push(tap(id));
  await quiet(line);
  assert.deepEqual(heard.batches.flatMap((one) => one.taps), ["a", "b", "c"]);
  assert.match(heard.batches[0].sent.load, /^[0-9a-f-]{36}$/);
  assert.ok(heard.batches[0].sent.mono_s > 0);
});

test("without a connection everything waits here, and a new page sends it once", async () => {
  heard.answers = () => 0;
  const { line, latest } = lineOf();
  line.push(tap("a"));
  line.push(tap("b"));
  await quiet(line);
  assert.deepEqual([kept(), latest().late], [["a", "b"], true]);
  assert.match(latest().words, /No connection: go on, taps are kept here/);
  heard.answers = () => 200;
  const again = lineOf();
  assert.equal(again.line.queue.length, 2);
  await again.line.follow();
  assert.deepEqual([heard.batches.map((one) => one.taps), kept()], [[["a", "b"]], []]);
  assert.equal(again.latest().words, "all kept");
});

test("what the server cannot do now waits and is said in its words", async () => {
  for (const status of [409, 401, 503, 403]) {
    heard.answers = () => status;
    const { line, latest } = lineOf("adaeze", `v${status}`);
    line.push(tap("a"));
    await quiet(line);
    assert.deepEqual([kept(`merak.taps.v${status}.adaeze`), latest().words, latest().aside], [["a"], `refused ${status}`, 0], "nothing is put aside");
  }
});

test("an answer that says nothing is told by its number", async () => {
  heard.answers = () => 500;
  const { line, latest } = lineOf();
  line.push(tap("a"));
  await quiet(line);
  assert.equal(latest().words, "The server answered 500.");
});

test("of several, the one that cannot be read is found, put aside and told; the rest goes on in its order", async () => {
  heard.answers = (taps) => (taps.some((one) => one.id === "bad") ? 422 : 200);
  const { line, latest } = lineOf();
  laid(line, tap("a"), tap("bad"), tap("b"), tap("c"));
  await line.send();
  assert.deepEqual(heard.batches.filter((one) => one.status === 200).flatMap((one) => one.taps), ["a", "b", "c"]);
  assert.deepEqual([kept(), kept("merak.aside.v1.adaeze")], [[], ["bad"]]);
  assert.deepEqual([line.aside[0].why, latest().late, latest().aside], ["refused 422", true, 1]);
  assert.match(latest().words, /^all kept · 1 not taken: see the menu$/);
});

test("only a senior’s unlock is put aside for want of a right; a count of somebody signed out waits", async () => {
  heard.answers = (taps) => (taps.some((one) => one.kind === "unlock") ? 403 : 200);
  const { line } = lineOf();
  laid(line, tap("u", "unlock"), tap("a"));
  await line.send();
  assert.deepEqual([line.aside.map((one) => one.id), line.queue], [["u"], []]);
  heard.answers = () => 403;
  line.push(tap("b"));
  await quiet(line);
  assert.deepEqual(kept(), ["b"]);
});

test("what was put aside goes out once more, in its old order, before what came since", async () => {
  heard.answers = (taps) => (taps.some((one) => one.id.startsWith("x")) ? 422 : 200);
  const { line } = lineOf();
  laid(line, tap("x1"), tap("x2"));
  await line.send();
  assert.deepEqual(line.aside.map((one) => one.id), ["x1", "x2"]);
  Object.assign(heard, { answers: () => 200, batches: [] });
  laid(line, tap("c"));
  await line.again();
  assert.deepEqual(heard.batches.map((one) => one.taps), [["x1", "x2", "c"]]);
  assert.deepEqual([kept(), kept("merak.aside.v1.adaeze")], [[], []]);
});

test("what somebody else left in this browser waits for them, is counted, and never goes out under another name", async () => {
  const tomas = lineOf("tomas");
  laid(tomas.line, tap("t1"), tap("t2"));
  const { line, latest } = lineOf("adaeze");
  line.push(tap("a"));
  await quiet(line);
  assert.match(latest().words, /^all kept · 2 taps of somebody else wait here/);
  assert.deepEqual(heard.batches.flatMap((one) => one.taps), ["a"]);
  assert.deepEqual(kept("merak.taps.v1.tomas"), ["t1", "t2"]);
  assert.equal(lineOf("adaeze", "v2").line.others, 0, "of another visit they are no matter");
});

test("an answer that was overtaken is not painted over a newer one", () => {
  const { line, took } = lineOf();
  line.told({ seq: 4 });
  line.told({ seq: 3 });
  line.told({ seq: 4 });
  assert.deepEqual(took.map((state) => state.seq), [4, 4]);
});

test("what others did while a tap was on its way is told after its answer, not thrown away", async () => {
  const { line, took } = lineOf();
  line.push(tap("a"));
  line.overheard = { seq: 9 };
  await quiet(line);
  assert.deepEqual(took.map((state) => state.seq), [1, 9]);
  assert.equal(line.overheard, null);
});

test("after a sleep the state is asked for at once", async () => {
  const { line, took } = lineOf();
  line.seen = Date.now() - 4000;
  line.wake();
  assert.equal(took.length, 0, "four seconds are no sleep");
  line.seen = Date.now() - 60_000;
  const asked = line.follow();
  line.wake();
  await asked;
  assert.ok(took.length >= 1 && took[0].told === "asked");
});

test("many taps go out two hundred at a time", async () => {
  const { line } = lineOf();
  laid(line, ...Array.from({ length: 450 }, (_, n) => tap(`t${n}`)));
  await line.send();
  assert.deepEqual(heard.batches.map((one) => one.taps.length), [200, 200, 50]);
  assert.equal(heard.batches[2].taps.at(-1), "t449");
});

test("an instrument is asked now or not at all", async () => {
  const { line, took } = lineOf();
  assert.deepEqual(await line.instrument("/machine", {}), { ok: true, words: "", value: 36.4 });
  assert.equal(took.length, 1, "what it changed is told");
  assert.deepEqual(await line.instrument("/machine", { fault: true }), { ok: false, words: "The cable is out." });
  line.address = "/nowhere";
  heard.answers = () => 0;
  const gone = await line.instrument("/x", { taps: [] });
  assert.deepEqual(gone, { ok: false, words: "No connection: read it by hand and type it." });
});
