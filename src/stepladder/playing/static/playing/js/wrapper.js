// Holds the run-time API for one sco. Changed values are sent early, so that little is left to send when the page goes.
(function () {
  const launch = JSON.parse(document.getElementById("launch").textContent);
  const is2004 = launch.standard === "scorm2004";
  const BEACON = 60000;
  const acknowledged = new Map();
  let pending = new Map();
  let seq = 0;
  let busy = false;
  let leaving = false;
  let final = false;
  let failedSince = 0;

  // Browsers that block third-party storage make a package's storage throw: it gets one that lasts as long as the page.
  for (const name of ["localStorage", "sessionStorage"]) {
    try { void window[name].length; } catch {
      const kept = new Map();
      const store = {
        getItem: (key) => (kept.has(String(key)) ? kept.get(String(key)) : null),
        setItem: (key, value) => kept.set(String(key), String(value)),
        removeItem: (key) => kept.delete(String(key)),
        clear: () => kept.clear(),
        key: (n) => [...kept.keys()][n] ?? null,
        get length() { return kept.size; },
      };
      window.addEventListener("DOMContentLoaded", () => {
        const frame = document.getElementById("content");
        const give = () => { try { Object.defineProperty(frame.contentWindow, name, { configurable: true, value: store }); } catch { /* it has its own */ } };
        give();
        frame.addEventListener("load", give);
      });
    }
  }

  const tell = (type) => window.parent.postMessage({ source: "stepladder-run", type }, launch.app);

  const say = (text) => {
    const place = document.getElementById("says");
    if (!place) return;
    place.textContent = text;
    place.hidden = !text;
  };

  const body = () => JSON.stringify({ seq: (seq += 1), fin: final, set: Object.fromEntries(pending) });

  const send = async () => {
    if (busy || (!pending.size && !final)) return;
    const sent = pending;
    const text = body();
    const bytes = new Blob([text]).size;
    pending = new Map();
    if (leaving) {
      fetch("commit", { method: "POST", body: text, keepalive: bytes < BEACON, headers: { "Content-Type": "application/json" } }).catch(() => {});
      return;
    }
    busy = true;
    try {
      const answer = await fetch("commit", { method: "POST", body: text, headers: { "Content-Type": "application/json" } });
      if (answer.status === 403) {
        say((await answer.text()) + " What you did since then is kept here until you do.");
        for (const [key, value] of sent) if (!pending.has(key)) pending.set(key, value);
        busy = false;
        return;
      }
      if (!answer.ok) throw new Error(String(answer.status));
      for (const [key, value] of sent) acknowledged.set(key, value);
      failedSince = 0;
      say("");
      tell("saved");
    } catch {
      for (const [key, value] of sent) if (!pending.has(key)) pending.set(key, value);
      failedSince = failedSince || Date.now();
      if (Date.now() - failedSince > 10000) say("Not saved for a while: the connection is broken. It is tried again by itself.");
      setTimeout(() => { busy = false; send(); }, 2000);
      return;
    }
    busy = false;
    if (pending.size) send();
  };

  const take = (params) => {
    for (const [key, value] of Object.entries(params)) {
      // Elements that hold others come as empty lists: they say nothing themselves.
      if (!key.startsWith("cmi.") || value === undefined || value === null || typeof value === "object") continue;
      if (acknowledged.get(key) !== value) pending.set(key, value);
    }
  };

  class Sender {
    processHttpRequest(url, params, immediate, log, listeners, meta, done) {
      take(params);
      if (meta?.isTerminateCommit) final = true;
      send();
      listeners?.("CommitSuccess");
      done?.();
      return { result: "true", errorCode: 0 };
    }
    updateSettings() {}
  }

  const Api = is2004 ? window.Scorm2004API : window.Scorm12API;
  const sender = new Sender();
  sender.reportsRequestCompletion = true;
  const api = new Api({
    autocommit: true,
    autocommitSeconds: 1,
    dataCommitFormat: "flattened",
    lmsCommitUrl: "commit",
    mastery_override: true,
    httpService: sender,
    logLevel: 5,
  });
  api.loadFromFlattenedJSON(launch.start);
  for (const [key, value] of Object.entries(launch.start)) acknowledged.set(key, value);
  if (is2004) window.API_1484_11 = api; else window.API = api;
  api.on(is2004 ? "Terminate" : "LMSFinish", () => { final = true; send(); tell("ended"); });

  window.addEventListener("pagehide", () => { leaving = true; busy = false; send(); });
})();
