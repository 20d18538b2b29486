// A small course: pages one after the other, questions on the way, both SCORM standards.
(function () {
  var data = window.COURSE, api = null, is2004 = false, page = 0, answers = {}, begun = new Date();

  function find(win) {
    for (var tries = 0; win && tries < 12; tries += 1) {
      if (win.API_1484_11) { is2004 = true; return win.API_1484_11; }
      if (win.API) return win.API;
      if (win === win.parent) break;
      win = win.parent;
    }
    return window.opener ? find(window.opener) : null;
  }
  function get(name) { return api ? (is2004 ? api.GetValue(name) : api.LMSGetValue(name)) : ""; }
  function set(name, value) { if (api) { if (is2004) api.SetValue(name, String(value)); else api.LMSSetValue(name, String(value)); } }
  function commit() { if (api) { if (is2004) api.Commit(""); else api.LMSCommit(""); } }
  function span() {
    var s = Math.round((new Date() - begun) / 1000), h = Math.floor(s / 3600), m = Math.floor(s / 60) % 60;
    function two(n) { return (n < 10 ? "0" : "") + n; }
    return is2004 ? "PT" + h + "H" + m + "M" + (s % 60) + "S" : two(h) + ":" + two(m) + ":" + two(s % 60);
  }

  function questions() { return data.pages.filter(function (p) { return p.question; }); }
  function score() {
    var all = questions(), right = all.filter(function (p) { return answers[p.id] === p.right; }).length;
    return all.length ? Math.round(right * 100 / all.length) : 100;
  }
  function save() {
    set(is2004 ? "cmi.location" : "cmi.core.lesson_location", page);
    set("cmi.suspend_data", JSON.stringify(answers));
    set(is2004 ? "cmi.session_time" : "cmi.core.session_time", span());
    commit();
  }
  function end() {
    var reached = score(), passed = reached >= data.pass;
    if (is2004) {
      set("cmi.score.min", 0); set("cmi.score.max", 100); set("cmi.score.raw", reached); set("cmi.score.scaled", reached / 100);
      set("cmi.completion_status", "completed"); set("cmi.success_status", passed ? "passed" : "failed"); set("cmi.exit", "normal");
    } else {
      set("cmi.core.score.min", 0); set("cmi.core.score.max", 100); set("cmi.core.score.raw", reached);
      set("cmi.core.lesson_status", passed ? "passed" : "failed"); set("cmi.core.exit", "");
    }
    save();
    return { reached: reached, passed: passed };
  }

  function show() {
    var here = data.pages[page], box = document.getElementById("page"), html = "<h1>" + here.title + "</h1>";
    document.getElementById("where").textContent = (page + 1) + " of " + data.pages.length;
    if (here.text) html += here.text.map(function (t) { return "<p>" + t + "</p>"; }).join("");
    if (here.picture) html += here.picture;
    if (here.question) {
      html += "<fieldset><legend>" + here.question + "</legend>" + here.choices.map(function (c, n) {
        return "<label><input type='radio' name='a' value='" + n + "'" + (answers[here.id] === n ? " checked" : "") + "> " + c + "</label>";
      }).join("") + "</fieldset><p id='says' role='status'></p>";
    }
    if (here.end) {
      var found = end();
      html += "<p><b>" + found.reached + " %</b> – " + (found.passed ? "passed. You can close this step." : "not passed: " + data.pass + " % are needed. Go back and look again.") + "</p>";
    }
    box.innerHTML = html;
    document.getElementById("back").disabled = page === 0;
    document.getElementById("next").disabled = page === data.pages.length - 1;
    box.focus();
    if (!here.end) save();
  }

  document.addEventListener("change", function (event) {
    if (event.target.name !== "a") return;
    var here = data.pages[page];
    answers[here.id] = Number(event.target.value);
    document.getElementById("says").textContent = answers[here.id] === here.right ? "Yes. " + here.because : "No. " + here.because;
    save();
  });
  document.addEventListener("click", function (event) {
    if (event.target.id === "next") { page += 1; show(); }
    if (event.target.id === "back") { page -= 1; show(); }
  });

  window.addEventListener("load", function () {
    api = find(window);
    if (api) { if (is2004) api.Initialize(""); else api.LMSInitialize(""); }
    var status = get(is2004 ? "cmi.completion_status" : "cmi.core.lesson_status");
    if (!is2004 && (status === "not attempted" || status === "")) set("cmi.core.lesson_status", "incomplete");
    if (is2004 && (status === "unknown" || status === "")) set("cmi.completion_status", "incomplete");
    set(is2004 ? "cmi.exit" : "cmi.core.exit", "suspend");
    try { answers = JSON.parse(get("cmi.suspend_data") || "{}"); } catch (error) { answers = {}; }
    page = Math.min(Number(get(is2004 ? "cmi.location" : "cmi.core.lesson_location")) || 0, data.pages.length - 1);
    show();
  });
  window.addEventListener("pagehide", function () {
    if (!api) return;
    set(is2004 ? "cmi.session_time" : "cmi.core.session_time", span());
    if (is2004) api.Terminate(""); else api.LMSFinish("");
    api = null;
  });
})();
