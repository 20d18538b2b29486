// Filters act as one chooses, without leaving the page: what differs is changed in place, so that the focus stays where it is
// and nothing that is typed meanwhile is lost.
let asking = new AbortController();
let shown = location.pathname + location.search;

// What is opened or folded stays so, and so does what days.js has put beside a field; the server knows of neither.
const callbacks = {
  beforeAttributeUpdated: (name, node) => !(node.localName === "details" && name === "open"),
  beforeNodeRemoved: (node) => !node.matches?.(".day-opener, .day-question, .calendar"),
};

const addressOf = (form, submitter) => {
  const address = new URL(form.getAttribute("action") || location.pathname, location.href);
  address.search = new URLSearchParams(new FormData(form, submitter)).toString();
  return address;
};

const show = (page) => {
  const place = document.querySelector(".frame, main");
  const next = page.querySelector(".frame, main");
  window.Idiomorph.morph(place, next, { ignoreActiveValue: true, callbacks });
  document.title = page.title;
  window.htmx.process(place);
  document.dispatchEvent(new CustomEvent("filtered"));
  // Read out: what the list is called and how many it has now.
  const head = document.querySelector("#sheet .headline, #sheet h1");
  document.querySelector("[data-filtered]").textContent = head?.innerText.replace(/\s+/g, " ") ?? "";
};

const ask = async (form, submitter) => {
  const address = addressOf(form, submitter);
  asking.abort();
  asking = new AbortController();
  form.setAttribute("aria-busy", "true");
  try {
    const answer = await fetch(address, { signal: asking.signal, headers: { Accept: "text/html" } });
    const isPage = answer.headers.get("Content-Type")?.startsWith("text/html") && (answer.ok || answer.status === 422);
    // Signed out meanwhile, or no page at all: the browser itself goes there and shows what it is.
    if (!isPage || (answer.redirected && new URL(answer.url).pathname !== address.pathname)) return location.assign(address);
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    history.pushState(null, "", answer.url);
    shown = location.pathname + location.search;
    show(page);
    form.removeAttribute("aria-busy");
  } catch (trouble) {
    if (trouble.name !== "AbortError") location.assign(address);
  }
};

document.addEventListener("change", (event) => {
  const form = event.target.closest("form[data-filters]");
  if (form && !event.target.matches("[data-narrows]")) ask(form);
});

document.addEventListener("submit", (event) => {
  if (!event.target.matches("form[data-filters]")) return;
  event.preventDefault();
  ask(event.target, event.submitter);
});

window.addEventListener("popstate", () => {
  if (location.pathname + location.search !== shown) location.reload();
});
