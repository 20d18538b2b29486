// A lesson that stands alone: which sections are open and read, checks judged, and how far one is told to the run-time it plays in
// (SCORM 1.2 or 2004), or kept in this browser. A section is read once each of its blocks was in view for a second and its checks
// are answered.
"use strict";
(() => {
  const said = JSON.parse(document.getElementById("lesson-data").textContent);
  const lesson = document.querySelector("[data-lesson]");
  const byKey = new Map([...document.querySelectorAll("[data-section]")].map((one) => [one.dataset.section, one]));
  const blocks = said.sections.flatMap((one) => one.blocks);
  const checkNames = said.sections.flatMap((one) => one.checks).filter((name) => name in said.checks);
  const IN_VIEW = 0.5;
  const LONG_ENOUGH = 1000;
  const began = Date.now();

  // --- the run-time: looked for in the windows around this one, and in that which opened it
  const find = (start, name) => {
    let here = start;
    for (let steps = 0; here && steps < 12; steps += 1) {
      try { if (here[name]) return here[name]; } catch { return null; }
      if (here.parent === here) break;
      here = here.parent;
    }
    return null;
  };
  const found = (name) => {
    try { return find(window, name) || (window.opener && find(window.opener, name)); } catch { return null; }
  };
  const clock12 = (seconds) => {
    const two = (n) => String(Math.floor(n)).padStart(2, "0");
    return `${two(Math.min(seconds / 3600, 9999))}:${two((seconds / 60) % 60)}:${two(seconds % 60)}`;
  };
  const runTimes = {
    "1.2": () => {
      const api = found("API");
      if (!api || String(api.LMSInitialize("")) !== "true") return null;
      let isOver = false;
      return {
        kept: () => api.LMSGetValue("cmi.suspend_data"),
        tell: (state) => {
          if (isOver) return;
          api.LMSSetValue("cmi.suspend_data", state.kept(4096));
          api.LMSSetValue("cmi.core.lesson_location", String(state.at + 1));
          api.LMSSetValue("cmi.core.lesson_status", state.isDone ? "completed" : "incomplete");
          if (state.score !== null) {
            api.LMSSetValue("cmi.core.score.min", "0");
            api.LMSSetValue("cmi.core.score.max", "100");
            api.LMSSetValue("cmi.core.score.raw", String(Math.round(state.score * 100)));
          }
          api.LMSSetValue("cmi.core.session_time", clock12((Date.now() - began) / 1000));
          api.LMSCommit("");
        },
        end: (isDone) => {
          if (isOver) return;
          isOver = true;
          api.LMSSetValue("cmi.core.exit", isDone ? "" : "suspend");
          api.LMSFinish("");
        },
      };
    },
    2004: () => {
      const api = found("API_1484_11");
      if (!api || String(api.Initialize("")) !== "true") return null;
      let isOver = false;
      return {
        kept: () => api.GetValue("cmi.suspend_data"),
        tell: (state) => {
          if (isOver) return;
          api.SetValue("cmi.suspend_data", state.kept(64000));
          api.SetValue("cmi.location", String(state.at + 1));
          api.SetValue("cmi.completion_status", state.isDone ? "completed" : "incomplete");
          api.SetValue("cmi.progress_measure", String(Math.round(state.share * 10000) / 10000));
          if (state.score !== null) api.SetValue("cmi.score.scaled", String(Math.round(state.score * 10000) / 10000));
          api.SetValue("cmi.session_time", `PT${Math.round((Date.now() - began) / 1000)}S`);
          api.Commit("");
        },
        end: (isDone) => {
          if (isOver) return;
          isOver = true;
          api.SetValue("cmi.exit", isDone ? "normal" : "suspend");
          api.Terminate("");
        },
      };
    },
  };
  const shelf = `lesson:${said.key}`;
  const inBrowser = {
    kept: () => { try { return localStorage.getItem(shelf) || ""; } catch { return ""; } },
    tell: (state) => { try { localStorage.setItem(shelf, state.kept(1000000)); } catch { /* it is kept while the page is open */ } },
    end: () => {},
  };
  const runTime = (said.standard && runTimes[said.standard]()) || inBrowser;

  // --- how far one is
  const seen = new Set();
  let done = [];
  let at = 0;
  // By the check's name: what was given, and the best share of it as [right, of].
  const answers = {};
  const isRight = (name) => answers[name] && answers[name].best[0] === answers[name].best[1];

  // As few signs as can be: SCORM 1.2 keeps 4096. Blocks in view are bits, of what is answered the place stands for the name.
  const kept = (most) => {
    let bits = "";
    for (let n = 0; n < blocks.length; n += 4) {
      bits += (blocks.slice(n, n + 4).reduce((sum, name, place) => sum + (seen.has(name) ? 1 << place : 0), 0)).toString(16);
    }
    const rows = checkNames.map((name, n) => (answers[name] ? [n, answers[name].best, answers[name].given] : null)).filter(Boolean);
    const pack = (withGiven) => JSON.stringify({
      v: 1, s: bits, d: done.map((key) => said.sections.findIndex((one) => one.key === key)), a: at,
      c: withGiven ? rows : rows.map(([n, best]) => [n, best]),
    });
    const whole = pack(true);
    // What was written is the first that there is no room for; what it was worth stays.
    return whole.length <= most ? whole : pack(false).slice(0, most);
  };
  const restore = (text) => {
    let was;
    try { was = JSON.parse(text); } catch { return; }
    if (!was || was.v !== 1) return;
    blocks.forEach((name, n) => { if (parseInt(was.s?.[Math.floor(n / 4)] ?? "0", 16) & (1 << (n % 4))) seen.add(name); });
    done = (was.d ?? []).map((n) => said.sections[n]?.key).filter(Boolean);
    at = Math.min(Math.max(Number(was.a) || 0, 0), said.sections.length - 1);
    for (const [n, best, given] of was.c ?? []) if (checkNames[n]) answers[checkNames[n]] = { best, given };
  };

  const reckon = () => {
    for (const one of said.sections) {
      if (done.includes(one.key)) continue;
      const isRead = one.blocks.every((name) => seen.has(name));
      const isAnswered = one.checks.filter((name) => name in said.checks).every((name) => (said.asksRight ? isRight(name) : answers[name]));
      if (isRead && isAnswered) done.push(one.key);
    }
  };
  const open = () => {
    const keys = [];
    const earlier = new Set();
    let waits = false;
    for (const one of said.sections) {
      const hides = earlier.has(one.hiddenUntil) && !isRight(one.hiddenUntil);
      if (done.includes(one.key) || !(waits || hides)) keys.push(one.key);
      waits = waits || (said.inOrder && !done.includes(one.key));
      one.checks.forEach((name) => earlier.add(name));
    }
    return keys;
  };
  const state = () => {
    const rows = checkNames.map((name) => (answers[name] ? answers[name].best[0] / answers[name].best[1] : 0));
    return {
      kept, at,
      share: said.sections.length ? done.length / said.sections.length : 0,
      isDone: done.length === said.sections.length,
      score: rows.length ? rows.reduce((sum, one) => sum + one, 0) / rows.length : null,
    };
  };

  // --- shown
  const show = () => {
    const isOpen = open();
    if (said.hasNext && !isOpen.includes(said.sections[at].key)) at = Math.max(0, said.sections.findIndex((one) => isOpen.includes(one.key) && !done.includes(one.key)));
    said.sections.forEach((one, n) => {
      byKey.get(one.key).hidden = said.hasNext ? n !== at : !isOpen.includes(one.key);
      const line = document.querySelector(`[data-of="${one.key}"]`);
      const link = line.querySelector("a");
      const may = isOpen.includes(one.key);
      line.classList.toggle("is-done", done.includes(one.key));
      line.querySelector("[data-state]").textContent = done.includes(one.key) ? "✓ read" : may ? "" : "not open yet";
      if (may) link.setAttribute("href", `#section-${one.key}`); else link.removeAttribute("href");
      if (said.hasNext && n === at) link.setAttribute("aria-current", "true"); else link.removeAttribute("aria-current");
    });
    const cover = document.querySelector("[data-cover]");
    if (cover) cover.hidden = said.hasNext && at !== 0;
    const onwards = document.querySelector("[data-onwards]");
    const after = said.hasNext ? said.sections[at + 1] : null;
    onwards.hidden = !after;
    if (after) {
      const may = isOpen.includes(after.key);
      const button = onwards.querySelector("[data-next]");
      button.textContent = `Next: ${byKey.get(after.key).querySelector("h2").textContent.trim().replace(/\s+/g, " ")}`;
      button.hidden = !may;
      onwards.querySelector("[data-waits]").hidden = may;
    }
    document.querySelector("[data-status]").textContent = state().isDone ? "All sections are read." : `${done.length} of ${said.sections.length} sections read.`;
    soon();
  };
  const settle = () => { reckon(); show(); runTime.tell(state()); };
  const goTo = (key) => {
    const n = said.sections.findIndex((one) => one.key === key);
    if (n < 0 || !open().includes(key)) return;
    at = n;
    settle();
    const head = byKey.get(key).querySelector("h2");
    head.tabIndex = -1;
    head.focus({ preventScroll: true });
    head.scrollIntoView({ block: "start" });
  };
  document.addEventListener("click", (event) => {
    const to = event.target.closest("[data-to]");
    if (to) { event.preventDefault(); goTo(to.dataset.to); return; }
    if (event.target.closest("[data-next]")) { goTo(said.sections[at + 1]?.key); return; }
    const hint = event.target.closest("[data-hint]");
    if (hint) { hint.closest("form").querySelector("[data-hint-text]").hidden = false; return; }
    const move = event.target.closest("[data-order] [data-move]");
    if (!move) return;
    const item = move.closest("li");
    const other = move.dataset.move === "-1" ? item.previousElementSibling : item.nextElementSibling;
    if (!other) return;
    if (move.dataset.move === "-1") other.before(item); else other.after(item);
    move.focus();
  });

  // --- in view
  const waits = new Map();
  const look = () => {
    for (const block of lesson.querySelectorAll("[data-block]")) {
      if (seen.has(block.dataset.block)) continue;
      const box = block.getBoundingClientRect();
      const shown = Math.min(box.bottom, window.innerHeight) - Math.max(box.top, 0);
      const isHidden = document.hidden || block.closest("[hidden]");
      const isIn = !isHidden && shown >= 0 && shown >= Math.min(box.height, window.innerHeight) * IN_VIEW;
      if (isIn && !waits.has(block)) {
        waits.set(block, setTimeout(() => {
          waits.delete(block);
          if (document.hidden || block.closest("[hidden]")) return;
          seen.add(block.dataset.block);
          const before = done.length;
          reckon();
          if (done.length !== before) settle();
        }, LONG_ENOUGH));
      }
      if (!isIn && waits.has(block)) { clearTimeout(waits.get(block)); waits.delete(block); }
    }
  };
  let isComing = false;
  function soon() {
    if (isComing) return;
    isComing = true;
    requestAnimationFrame(() => { isComing = false; look(); });
  }
  for (const name of ["scroll", "resize"]) window.addEventListener(name, soon, { passive: true });
  document.addEventListener("toggle", soon, true);
  document.addEventListener("visibilitychange", () => {
    if (document.hidden) { for (const timer of waits.values()) clearTimeout(timer); waits.clear(); runTime.tell(state()); } else look();
  });

  // --- checks
  const given = (form) => {
    const { kind } = form.dataset;
    const ticked = [...form.querySelectorAll("input:checked")].map((input) => input.value);
    if (kind === "one") return ticked.length ? Number(ticked[0]) : null;
    if (kind === "true_false") return ticked.length ? ticked[0] === "true" : null;
    if (kind === "several") return ticked.map(Number);
    if (kind === "order") return [...form.querySelectorAll("[data-place]")].map((item) => Number(item.dataset.place));
    if (kind === "match") return [...form.querySelectorAll("select")].map((select) => (select.value === "" ? null : Number(select.value)));
    return form.querySelector("[data-written]")?.value ?? "";
  };
  const isNothing = (answer) => answer === null || answer === "" || (Array.isArray(answer) && answer.every((one) => one === null));
  const folded = (text) => text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase().replace(/ß/g, "ss").split(/\s+/).filter(Boolean).join(" ");
  // A decimal number, exactly, as [numerator, denominator]; null where it is none.
  const decimal = (text) => {
    let plain = text.replace(/\s+/g, "").slice(0, 60).replace("−", "-");
    if ((plain.match(/,/g) ?? []).length === 1 && !plain.includes(".")) plain = plain.replace(",", ".");
    const parts = /^([+-]?)(\d{1,12}(?:\.\d{0,20})?|\.\d{1,20})(?:[eE]([+-]?\d{1,2}))?$/.exec(plain);
    if (!parts) return null;
    const [whole, behind = ""] = parts[2].split(".");
    let [top, bottom] = [BigInt((whole || "0") + behind), 10n ** BigInt(behind.length)];
    const power = Number(parts[3] ?? 0);
    if (power > 0) top *= 10n ** BigInt(power); else bottom *= 10n ** BigInt(-power);
    return [parts[1] === "-" ? -top : top, bottom];
  };
  const size = (one) => (one < 0n ? -one : one);
  // The share of an answer, as [right, of].
  const worth = (check, answer) => {
    if (check.kind === "one") return [check.right.includes(answer) ? 1 : 0, 1];
    if (check.kind === "true_false") return [answer === check.right ? 1 : 0, 1];
    if (check.kind === "several") {
      const right = answer.filter((one) => check.right.includes(one)).length;
      if (check.all || !check.right.length) return [right === answer.length && right === check.right.length && right > 0 ? 1 : 0, 1];
      return [Math.max(0, right - (answer.length - right)), check.right.length];
    }
    if (check.kind === "order" || check.kind === "match") {
      const right = check.right.filter((place, n) => answer[n] === place).length;
      return check.all ? [right === check.right.length ? 1 : 0, 1] : [right, check.right.length];
    }
    if (check.kind === "number") {
      const number = decimal(answer);
      if (!number) return [0, 1];
      const [rightTop, rightBottom] = check.number.map(BigInt);
      const [far, farBottom] = check.tolerance.map(BigInt);
      const apart = size(number[0] * rightBottom - rightTop * number[1]);
      return [apart * farBottom <= far * number[1] * rightBottom ? 1 : 0, 1];
    }
    return [check.accepted.includes(folded(answer)) ? 1 : 0, 1];
  };
  const paragraph = (text, name = "") => Object.assign(document.createElement("p"), { textContent: text, className: name });
  const tell = (form, check, answer) => {
    const place = form.querySelector("[data-told]");
    const share = worth(check, answer);
    const isAll = share[0] === share[1];
    const line = paragraph("", `said ${isAll ? "is-right" : "is-wrong"}`);
    const head = document.createElement("b");
    head.textContent = isAll ? "Right." : share[0] ? `Partly right: ${Math.floor((share[0] * 100) / share[1])} %.` : "Not right.";
    const chosen = check.kind === "one" ? [answer] : check.kind === "several" ? answer : [];
    const words = [isAll ? check.whenRight : check.whenWrong, ...chosen.map((one) => check.feedback?.[one])].filter(Boolean);
    line.append(head, ` ${words.join(" ")}`);
    place.replaceChildren(line);
    if (!isAll && check.rightWords.length) place.append(paragraph(`Right is: ${check.rightWords.join("; ")}`, "small"));
    return share;
  };
  document.addEventListener("submit", (event) => {
    const form = event.target.closest("[data-check]");
    if (!form) return;
    event.preventDefault();
    const check = said.checks[form.dataset.check];
    const answer = given(form);
    if (isNothing(answer)) { form.querySelector("[data-told]").replaceChildren(paragraph("Choose or write an answer first.", "small muted")); return; }
    const share = tell(form, check, answer);
    const before = answers[form.dataset.check]?.best ?? [0, 1];
    answers[form.dataset.check] = { given: answer, best: share[0] * before[1] >= before[0] * share[1] ? share : before };
    settle();
  });
  // What was answered the last time stands there again.
  const setAgain = (form, answer) => {
    const { kind } = form.dataset;
    const list = Array.isArray(answer) ? answer : [answer];
    if (kind === "one" || kind === "several" || kind === "true_false") {
      for (const input of form.querySelectorAll("input")) input.checked = list.map(String).includes(input.value);
    } else if (kind === "order") {
      const items = new Map([...form.querySelectorAll("[data-place]")].map((item) => [Number(item.dataset.place), item]));
      for (const place of list) if (items.has(place)) items.get(place).parentElement.append(items.get(place));
    } else if (kind === "match") {
      form.querySelectorAll("select").forEach((select, n) => { select.value = list[n] === null || list[n] === undefined ? "" : String(list[n]); });
    } else form.querySelector("[data-written]").value = String(answer);
  };

  restore(runTime.kept());
  for (const form of document.querySelectorAll("[data-check]")) {
    form.querySelector("[data-answers]").disabled = false;
    const check = said.checks[form.dataset.check];
    const answered = answers[form.dataset.check];
    if (!check || answered?.given === undefined || answered?.given === null) continue;
    setAgain(form, answered.given);
    tell(form, check, answered.given);
  }
  settle();
  new ResizeObserver(soon).observe(document.body);
  window.addEventListener("pagehide", () => { runTime.tell(state()); runTime.end(state().isDone); });
})();
