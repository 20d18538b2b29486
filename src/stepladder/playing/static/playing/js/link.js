// A link: that it was opened is told once, and what whoever learns says of it.
const stage = document.querySelector("[data-player]");
const link = document.querySelector("[data-link]");

const show = (state) => {
  link.dataset.state = state;
  for (const part of link.querySelectorAll("[data-when]")) part.hidden = part.dataset.when !== state;
};

const opened = () => {
  if (link.dataset.state) return;
  show("opened");
  stage.report({ did: "opened" });
};

const opener = link.querySelector("[data-opens-link]");
if (opener.matches("iframe")) window.addEventListener("load", opened);
else for (const kind of ["click", "auxclick"]) opener.addEventListener(kind, opened);

link.addEventListener("click", (event) => {
  const said = event.target.closest("[data-did]");
  if (said) stage.report({ did: said.dataset.did });
});

document.addEventListener("reported", (event) => show(event.detail.link ?? link.dataset.state));
show(link.dataset.state);
