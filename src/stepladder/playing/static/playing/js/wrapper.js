// Holds the run-time API for one sco. Changed values are sent early, so that little is left to send when the page goes.
(function () {
  const launch = JSON.parse(document.getElementById("launch").textContent);
  const is2004 = launch.standard === "scorm2004";
  // What a request that outlives its page may carry (64 KiB, shared by all of them).
  const KEEPALIVE = 65400;
  const acknowledged = new Map();
  const LARGE = 8000;
  // Set by the package and not sent yet; sent and not answered yet.
  let pending = new Map();
  let underway = null;
  let seq = 0;
  let hasLeft = false;
  // The package has terminated; the server has that; the package was opened elsewhere, and nothing of this page counts.
  let ended = false;
  let endKept = false;
  let outdated = false;
  let failedSince = 0;
  // After a refusal: values go one by one; something was not taken, which is said until the page goes.
  let oneByOne = false;
  let lost = false;

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

  const post = (values, more = {}) => {
    const body = JSON.stringify({ launch: launch.launch, seq: (seq += 1), fin: ended, set: Object.fromEntries(values), ...more });
    return [body, new Blob([body]).size];
  };
  const asJson = { "Content-Type": "application/json" };

  // While the page is alive: one request at a time, tried again until it is answered.
  const send = async () => {
    if (underway || hasLeft || outdated || (!pending.size && (!ended || endKept))) return;
    const now = oneByOne ? [...pending].slice(0, 1) : [...pending];
    underway = new Map(now);
    for (const [key] of now) pending.delete(key);
    // The end goes with the last of them.
    const isEnd = ended && !pending.size;
    try {
      const answer = await fetch("commit", { method: "POST", body: post(underway, { fin: isEnd })[0], headers: asJson });
      if (answer.status === 409) {
        outdated = true;
        say((await answer.json()).says);
        return;
      }
      if (answer.status === 403) {
        say((await answer.text()) + " What you did since then is kept here until you do.");
        putBack();
        return;
      }
      if (answer.status === 400 || answer.status === 413) {
        refused((await answer.json()).says);
        return;
      }
      if (!answer.ok) throw new Error(String(answer.status));
      for (const [key, value] of underway) acknowledged.set(key, value);
      underway = null;
      endKept = endKept || isEnd;
      failedSince = 0;
      if (!lost) say("");
      if (!pending.size) oneByOne = false;
      tell("saved");
    } catch {
      putBack();
      failedSince = failedSince || Date.now();
      if (Date.now() - failedSince > 10000) say("Not saved for a while: the connection is broken. It is tried again by itself.");
      setTimeout(send, 2000);
      return;
    }
    send();
  };
  // Sending it again would come to the same. What went together goes one by one, so that only what is too much is lost, and is said.
  const refused = (text) => {
    if (underway.size > 1) {
      putBack();
      oneByOne = true;
    } else {
      for (const [key, value] of underway) acknowledged.set(key, value);
      say(`Part of what this package wanted to keep was not taken: ${text}. Everything else is kept.`);
      lost = true;
      underway = null;
    }
    send();
  };
  const putBack = () => {
    for (const [key, value] of underway) if (!pending.has(key)) pending.set(key, value);
    underway = null;
  };

  // On the way out: one last commit that carries everything which was not answered yet, whatever is still on the line. What is
  // too large for a request that outlives its page goes in parts before it.
  const leave = () => {
    if (hasLeft) return;
    hasLeft = true;
    // The package's own handlers for going run now, while the run-time still listens.
    document.getElementById("content")?.remove();
    if (outdated || (endKept && !pending.size)) return;
    const left = [...new Map([...(underway ?? []), ...pending])].sort((a, b) => String(a[1]).length - String(b[1]).length);
    const last = new Map();
    let bytes = 200;
    for (const [key, value] of left) {
      const size = new Blob([JSON.stringify([key, value])]).size;
      if (bytes + size < KEEPALIVE) {
        last.set(key, value);
        bytes += size;
      } else {
        const [body] = post(new Map([[key, value]]), { fin: false, parting: true });
        fetch("commit", { method: "POST", body, headers: asJson }).catch(() => {});
      }
    }
    const [body] = post(last, { leaving: true });
    fetch("commit", { method: "POST", body, keepalive: true, headers: asJson }).catch(() => {});
  };

  const take = (params) => {
    for (const [key, value] of Object.entries(params)) {
      // Elements that hold others come as empty lists: they say nothing themselves.
      if (!key.startsWith("cmi.") || value === undefined || value === null || typeof value === "object") continue;
      // By what the server will have when all that is on its way has arrived: a value that went and came back counts too.
      const told = [pending, underway, acknowledged].find((some) => some?.has(key))?.get(key);
      if (told !== value) pending.set(key, value);
    }
  };

  class Sender {
    processHttpRequest(url, params, immediate, log, listeners, meta, done) {
      take(params);
      if (meta?.isTerminateCommit) ended = true;
      if (!hasLeft) send();
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
  // What the run-time says before the package has said anything is nobody's word: sent as if it were, it would take the place of
  // what the page before said as it went and what is still on the line.
  for (const [key, value] of Object.entries({ ...launch.start, ...api.renderCommitCMI(false) })) acknowledged.set(key, value);
  // The standards' answers once a package has terminated; the library goes on answering "true".
  const AFTER = is2004
    ? { Initialize: "104", GetValue: "123", SetValue: "133", Commit: "143", Terminate: "113" }
    : { LMSInitialize: "101", LMSGetValue: "301", LMSSetValue: "301", LMSCommit: "301", LMSFinish: "301" };
  const prefix = is2004 ? "" : "LMS";
  let error = null;
  const facade = {};
  for (const name of Object.keys(AFTER)) {
    facade[name] = (...given) => {
      if (ended) {
        error = AFTER[name];
        return name.endsWith("GetValue") ? "" : "false";
      }
      error = null;
      const answer = api[name](...given);
      // Long values go at once: when the page goes they must be there already.
      if (name.endsWith("SetValue") && String(given[1]).length > LARGE && String(answer) === "true") {
        take({ [given[0]]: String(given[1]) });
        send();
      }
      return answer;
    };
  }
  for (const name of ["GetLastError", "GetErrorString", "GetDiagnostic"]) {
    facade[prefix + name] = (...given) => (name === "GetLastError" && error ? error : api[prefix + name](...given));
  }
  facade.version = api.version ?? "1.0";
  if (is2004) window.API_1484_11 = facade; else window.API = facade;
  api.on(is2004 ? "Terminate" : "LMSFinish", () => { ended = true; send(); tell("ended"); });

  // 2004's request to go on, once it has terminated; it is kept before the page is told.
  if (is2004) api.on("SequenceNext", () => { send(); tell("next"); });

  window.addEventListener("pagehide", leave);
  // Brought back by the browser as it was: it has left, so it is opened anew.
  window.addEventListener("pageshow", (event) => { if (event.persisted) location.reload(); });
})();
