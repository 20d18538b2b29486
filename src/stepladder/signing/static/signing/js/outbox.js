// What was signed in this browser, until the server has it. Each has a key, by which it is one however often it is sent.
const SENT_AGAIN = 20000;
const PATIENCE = 60000;

const open = () => new Promise((resolve, reject) => {
  const asked = indexedDB.open("sign-offs", 1);
  asked.onupgradeneeded = () => asked.result.createObjectStore("kept", { keyPath: "key" });
  asked.onsuccess = () => resolve(asked.result);
  asked.onerror = () => reject(asked.error);
});

const act = async (mode, does) => {
  const base = await open();
  try {
    return await new Promise((resolve, reject) => {
      const deal = base.transaction("kept", mode);
      const asked = does(deal.objectStore("kept"));
      deal.oncomplete = () => resolve(asked.result);
      deal.onerror = deal.onabort = () => reject(deal.error);
    });
  } finally { base.close(); }
};

// Raises where the browser keeps nothing.
const put = (item) => act("readwrite", (store) => store.put(item));
const drop = (key) => act("readwrite", (store) => store.delete(key));
export const keptItem = (key) => act("readonly", (store) => store.get(key)).catch(() => undefined);
const all = () => act("readonly", (store) => store.getAll()).then((rows) => rows.sort((a, b) => a.at - b.at)).catch(() => []);

const csrf = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

// What became of it: { state: "sent" | "waiting" | "refused", says, url, faults }.
const post = async (item) => {
  const body = new FormData();
  for (const [name, value] of item.fields) body.append(name, value);
  body.append("account", item.account);
  body.append("ago", String(Math.max(0, (Date.now() - item.at) / 1000)));
  if (item.photo) body.append("photo", item.photo, "photo.jpg");
  let answer;
  try {
    answer = await fetch(item.send, { method: "POST", body, headers: { "X-CSRFToken": csrf() }, signal: AbortSignal.timeout(PATIENCE) });
  } catch {
    return { state: "waiting", says: "" };
  }
  const isJson = answer.headers.get("Content-Type")?.includes("json");
  const said = isJson ? await answer.json().catch(() => ({})) : {};
  if (answer.ok && isJson && said.url) return { state: "sent", ...said };
  if (said.again === false) return { state: "refused", faults: {}, ...said };
  if (answer.status === 401) return { state: "waiting", says: "You are not signed in any more. Sign in again in another tab; it is sent then." };
  if (answer.status === 403) return { state: "waiting", says: "Open this page again, so that it can be sent." };
  if (answer.status === 413) return { state: "refused", faults: {}, says: "The photo is too large. Open it and choose a smaller one." };
  return { state: "waiting", says: said.says || "It could not be sent just now, and is tried again." };
};

const line = (item, mine, { again, away }) => {
  const row = document.createElement("li");
  const what = document.createElement("b");
  what.textContent = item.what;
  const when = new Date(item.at).toLocaleString([], { dateStyle: "medium", timeStyle: "short" });
  const says = document.createElement("span");
  says.textContent = mine ? ` signed ${when}. ${item.says || "It waits for a line, and is sent by itself."} ` : ` signed ${when} by ${item.name}, who has to sign in here for it to be sent. `;
  row.append(what, says);
  if (!mine) return row;
  const verb = (words, does) => {
    const button = document.createElement("button");
    button.type = "button"; button.className = "verb"; button.textContent = words;
    const whose = document.createElement("span");
    whose.className = "unseen"; whose.textContent = `, ${item.what}`;
    button.append(whose);
    button.addEventListener("click", does);
    row.append(button, " ");
  };
  if (item.state === "refused") {
    const link = document.createElement("a");
    link.href = `${item.page}?kept=${item.key}`; link.textContent = "Open it";
    row.append(link, " ");
    verb("Put it away", away);
  } else verb("Send it now", again);
  return row;
};

export const startOutbox = (sheet) => {
  const { account } = sheet.dataset;
  const place = sheet.querySelector("[data-outbox]");
  const list = sheet.querySelector("[data-outbox-rows]");
  const form = sheet.querySelector("[data-sign]");
  const written = () => JSON.stringify([...new FormData(form)].map(([name, value]) => [name, value.name ?? value]));
  const asOpened = form && written();
  // A form that was sent has no fields any more (form.js).
  const isBeingWritten = () => form?.elements.key && written() !== asOpened;

  const show = async () => {
    const rows = await all();
    place.hidden = !rows.length;
    list.replaceChildren(...rows.map((item) => line(item, item.account === account, {
      again: () => flush(),
      away: async () => {
        if (window.confirm(`Put away what you signed for ${item.what}? It was not taken, and is gone then.`)) { await drop(item.key); show(); }
      },
    })));
  };

  // One tab sends at a time; what two tabs sent all the same is one by its key.
  const alone = (does) => (navigator.locks ? navigator.locks.request("sign-offs", does) : does());

  const flush = () => alone(async () => {
    const sent = [];
    for (const item of await all()) {
      if (item.account !== account || item.state === "refused") continue;
      const said = await post(item);
      if (said.state === "sent") { await drop(item.key); sent.push({ ...said, page: item.page }); continue; }
      await put({ ...item, state: said.state, says: said.says });
      // Without a line the next one does not go either.
      if (said.state === "waiting") break;
    }
    await show();
    if (!sent.length) return;
    // What was sent is said by the next page. A list has other rows by now, and a check list may be the one that was signed.
    if (!form) window.location.reload();
    else if (!isBeingWritten() && sent.some((one) => one.page === window.location.pathname)) window.location.assign(sent[0].url);
    else for (const one of sent) document.dispatchEvent(new CustomEvent("toast", { detail: { text: one.says } }));
  });

  show();
  flush();
  setInterval(flush, SENT_AGAIN);
  window.addEventListener("online", flush);

  return {
    account,
    keptItem,
    drop: async (key) => { await drop(key).catch(() => {}); await show(); },
    // Kept first, then sent: whatever happens on the way, it is here.
    give: (item) => alone(async () => {
      let isKept = true;
      await put(item).catch(() => { isKept = false; });
      const said = await post(item);
      if (isKept && said.state !== "waiting") await drop(item.key).catch(() => {});
      if (isKept && said.state === "waiting") await put({ ...item, says: said.says }).catch(() => {});
      await show();
      return { ...said, isKept };
    }),
  };
};
