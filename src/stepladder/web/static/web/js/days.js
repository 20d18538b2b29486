// A field for a day takes words; beside it stands a small calendar, by mouse and by keys, and a question where figures are two days.
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
const LONG = { month: "long", year: "numeric", timeZone: "UTC" };
const WEEKDAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const DAY = 86400000;

const dayOf = (year, month, date) => {
  const day = new Date(Date.UTC(year, month, date));
  return day.getUTCMonth() === month && day.getUTCDate() === date ? day : null;
};
const iso = (text) => { const [y, m, d] = text.split("-").map(Number); return dayOf(y, m - 1, d); };
const today = () => iso(document.body.dataset.today);
const written = (day) => `${day.getUTCDate()} ${MONTHS[day.getUTCMonth()]} ${day.getUTCFullYear()}`;
const later = (day, days) => new Date(day.getTime() + days * DAY);
const monthsLater = (day, months) => {
  const first = new Date(Date.UTC(day.getUTCFullYear(), day.getUTCMonth() + months, 1));
  const last = new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + 1, 0)).getUTCDate();
  return new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth(), Math.min(day.getUTCDate(), last)));
};

// What the calendar opens at: it reads the plain manners; the server reads all.
const read = (text) => {
  const plain = text.trim();
  if (/^\d{4}-\d{1,2}-\d{1,2}$/.test(plain)) return iso(plain);
  const worded = /^(?:[a-z]{3,9} )?(\d{1,2}) ([a-z]{3})[a-z]* (\d{4})$/i.exec(plain);
  if (worded) {
    const month = MONTHS.findIndex((name) => name.toLowerCase() === worded[2].toLowerCase());
    return month < 0 ? null : dayOf(Number(worded[3]), month, Number(worded[1]));
  }
  const apart = /^today(?: *([+-]) *(\d{1,5})d)?$/i.exec(plain);
  return apart ? later(today(), Number(apart[2] ?? 0) * (apart[1] === "-" ? -1 : 1)) : null;
};

const put = (field, day) => {
  field.value = typeof day === "string" ? day : written(day);
  field.dispatchEvent(new Event("input", { bubbles: true }));
  field.dispatchEvent(new Event("change", { bubbles: true }));
};

// --- the calendar: one for the page, opened at a field
const box = document.createElement("div");
box.className = "calendar";
box.setAttribute("role", "dialog");
box.hidden = true;
let field = null;
let at = null;

const button = (text, label, act) => {
  const made = document.createElement("button");
  made.type = "button";
  made.textContent = text;
  if (label) made.setAttribute("aria-label", label);
  made.addEventListener("click", act);
  return made;
};

const draw = (focus = true) => {
  const head = document.createElement("div");
  head.className = "calendar-head";
  const title = document.createElement("b");
  title.textContent = at.toLocaleDateString("en", LONG);
  title.setAttribute("aria-live", "polite");
  head.append(
    button("←", "The month before", () => turn(-1)),
    title,
    button("→", "The month after", () => turn(1)),
  );
  const table = document.createElement("table");
  table.setAttribute("role", "grid");
  table.setAttribute("aria-label", title.textContent);
  const first = Number(document.body.dataset.firstWeekday || 0);
  const names = table.createTHead().insertRow();
  for (let n = 0; n < 7; n += 1) {
    const name = document.createElement("th");
    name.scope = "col";
    name.abbr = WEEKDAYS[(first + n) % 7];
    name.textContent = name.abbr.slice(0, 2);
    names.append(name);
  }
  const start = new Date(Date.UTC(at.getUTCFullYear(), at.getUTCMonth(), 1));
  let day = later(start, -((start.getUTCDay() + 6 - first + 7) % 7));
  const body = table.createTBody();
  while (day <= start || day.getUTCMonth() === at.getUTCMonth()) {
    const row = body.insertRow();
    for (let n = 0; n < 7; n += 1, day = later(day, 1)) {
      const cell = row.insertCell();
      if (day.getUTCMonth() !== at.getUTCMonth()) continue;
      const here = day;
      const choose = button(String(day.getUTCDate()), `${WEEKDAYS[(day.getUTCDay() + 6) % 7]} ${written(day)}`, () => { const to = field; close(); put(to, here); });
      choose.tabIndex = day.getTime() === at.getTime() ? 0 : -1;
      choose.dataset.day = String(day.getTime());
      if (day.getTime() === today().getTime()) choose.setAttribute("aria-current", "date");
      if (day.getTime() === read(field.value)?.getTime()) choose.setAttribute("aria-pressed", "true");
      cell.append(choose);
    }
  }
  // Days that move with today, where a filter keeps them as they are said.
  const words = document.createElement("p");
  for (const word of (field.dataset.words ?? "").split("|").filter(Boolean)) {
    const say = button(word, "", () => { const to = field; close(); put(to, word); });
    say.className = "chip";
    words.append(say);
  }
  box.replaceChildren(head, table, ...(words.firstChild ? [words] : []));
  if (focus) box.querySelector(`[data-day="${at.getTime()}"]`).focus();
};

const turn = (months) => {
  at = monthsLater(at, months);
  draw(false);
  box.querySelectorAll(".calendar-head button")[months < 0 ? 0 : 1].focus();
};

// Below its field, or above where there is no room below.
const lay = () => {
  const frame = (box.offsetParent ?? document.body).getBoundingClientRect();
  const of = field.getBoundingClientRect();
  const below = of.bottom + box.offsetHeight < window.innerHeight || of.top < box.offsetHeight;
  const left = Math.max(8, Math.min(of.left, document.documentElement.clientWidth - box.offsetWidth - 8));
  box.style.left = `${left - frame.left}px`;
  box.style.top = `${(below ? of.bottom + 3 : of.top - box.offsetHeight - 3) - frame.top}px`;
};

const open = (asked) => {
  field = asked;
  at = read(field.value) ?? today();
  box.setAttribute("aria-label", `Choose a day: ${field.labels?.[0]?.textContent.trim() ?? "day"}`);
  // Beside the field, as outside an open dialog nothing can be reached.
  field.parentElement.append(box);
  box.hidden = false;
  draw(false);
  lay();
  draw();
};

const close = () => {
  if (box.hidden) return;
  box.hidden = true;
  field.focus();
};

box.addEventListener("keydown", (event) => {
  const ways = {
    ArrowLeft: () => later(at, -1), ArrowRight: () => later(at, 1), ArrowUp: () => later(at, -7), ArrowDown: () => later(at, 7),
    PageUp: () => monthsLater(at, event.shiftKey ? -12 : -1), PageDown: () => monthsLater(at, event.shiftKey ? 12 : 1),
    Home: () => later(at, -((at.getUTCDay() + 6 - Number(document.body.dataset.firstWeekday || 0) + 7) % 7)),
    End: () => later(at, 6 - ((at.getUTCDay() + 6 - Number(document.body.dataset.firstWeekday || 0) + 7) % 7)),
  };
  event.stopPropagation();
  if (event.key === "Escape") { event.preventDefault(); close(); return; }
  if (!ways[event.key]) return;
  event.preventDefault();
  at = ways[event.key]();
  draw();
});

document.addEventListener("pointerdown", (event) => {
  if (!box.hidden && !box.contains(event.target) && !event.target.closest(".day-opener")) box.hidden = true;
});
document.addEventListener("focusin", (event) => {
  if (!box.hidden && !box.contains(event.target)) box.hidden = true;
});
document.addEventListener("keydown", (event) => {
  if (event.key === "ArrowDown" && event.altKey && event.target.matches?.("[data-day]:not(button)")) { event.preventDefault(); open(event.target); }
});
document.addEventListener("click", (event) => {
  const opener = event.target.closest(".day-opener");
  if (opener) open(document.getElementById(opener.dataset.for));
});

const dress = () => {
  for (const one of document.querySelectorAll("input[data-day]")) {
    if (one.nextElementSibling?.classList.contains("day-opener") || !one.id) continue;
    const opener = button("", `Choose a day: ${one.labels?.[0]?.textContent.trim() ?? "day"}`);
    opener.className = "day-opener";
    opener.dataset.for = one.id;
    one.after(opener);
  }
};

// --- 04/12/2027 is asked about, unless the organisation has said which figure comes first
const TWO_DAYS = /^(\d{1,2})([/-])(\d{1,2})\2(\d{4})$/;

const question = (of) => {
  const next = of.nextElementSibling?.classList.contains("day-opener") ? of.nextElementSibling : of;
  if (next.nextElementSibling?.classList.contains("day-question")) next.nextElementSibling.remove();
  const match = TWO_DAYS.exec(of.value.trim());
  if (!match || document.body.dataset.dayOrder) return;
  const [first, second, year] = [Number(match[1]), Number(match[3]), Number(match[4])];
  if (first === second || first > 12 || second > 12) return;
  const asked = document.createElement("span");
  asked.className = "day-question";
  asked.setAttribute("role", "status");
  asked.append(`${of.value.trim()} is `);
  for (const [n, day] of [dayOf(year, second - 1, first), dayOf(year, first - 1, second)].entries()) {
    const choose = button(written(day), "", () => { asked.remove(); put(of, day); of.focus(); });
    choose.className = "verb";
    asked.append(n ? " or " : "", choose);
  }
  asked.append("?");
  next.after(asked);
};

document.addEventListener("input", (event) => { if (event.target.matches?.("input[data-day]")) question(event.target); });
document.addEventListener("htmx:load", dress);
document.addEventListener("filtered", dress);
dress();
