// The check lists that are taken along: pages that open without a line, on this device, until somebody signs out.
const MOST_PAGES = 40;

const keep = async (cache, address) => {
  const answer = await fetch(address, { credentials: "same-origin" });
  // A page that leads elsewhere, as to the sign-in, is none of these.
  if (answer.ok && !answer.redirected) await cache.put(address, answer);
  return answer.ok && !answer.redirected;
};

export const takeAlong = async (sheet) => {
  // Without a safe address (https) a browser takes nothing along; what is signed on an open page is kept all the same.
  if (!("serviceWorker" in navigator) || !("caches" in window) || !navigator.onLine) return;
  try {
    const { worker } = sheet.dataset;
    await navigator.serviceWorker.register(worker, { scope: new URL("./", new URL(worker, window.location.href)).pathname });
    const cache = await caches.open(`sign-offs:${sheet.dataset.account}`);
    const scripts = performance.getEntriesByType("resource").map((one) => one.name);
    const ours = scripts.filter((name) => new URL(name).origin === window.location.origin && new URL(name).pathname.startsWith("/static/"));
    await Promise.all([...new Set(ours)].map((name) => keep(cache, name).catch(() => false)));
    await keep(cache, window.location.pathname);
    let count = 0;
    for (const link of [...sheet.querySelectorAll("[data-take-along]")].slice(0, MOST_PAGES)) {
      if (await keep(cache, link.pathname)) count += 1;
    }
    const told = sheet.querySelector("[data-taken-along]");
    if (told && count) {
      told.textContent = `${count} of these check lists ${count === 1 ? "is" : "are"} on this device now: they open without a line, until you sign out.`;
      told.hidden = false;
    }
  } catch { /* Nothing is taken along this time: what needs a line says so. */ }
};
