// A node is dragged onto another, or moved by Alt and the arrow keys; what that would do is told in the margin first.
const chart = document.querySelector("[data-chart]");
const nodes = () => [...chart.querySelectorAll("[data-node]")];
let dragged = null;

const propose = (node, under) => {
  if (node.dataset.parent === under) return;
  window.htmx
    .ajax("GET", `${node.dataset.moveUrl}?under=${under}`, { target: "#change", select: "#act-title, #act, #effect", swap: "innerHTML" })
    .then(() => document.querySelector("#change select")?.focus());
};

const siblings = (node) => nodes().filter((one) => one.dataset.parent === node.dataset.parent);

// The order is that of the chart: behind the sibling before, or before the first. The page comes back in that order.
const order = (node, after) => {
  const form = document.createElement("form");
  form.method = "post";
  form.action = node.dataset.orderUrl;
  const token = JSON.parse(document.body.getAttribute("hx-headers") ?? "{}")["X-CSRFToken"] ?? "";
  for (const [name, value] of [["after", after ? after.dataset.node : ""], ["csrfmiddlewaretoken", token]]) {
    const field = document.createElement("input");
    [field.type, field.name, field.value] = ["hidden", name, value];
    form.append(field);
  }
  document.body.append(form);
  form.submit();
};

const above = (node, list) => list[list.indexOf(node) - 1];

const isBelow = (node, other) => {
  for (let here = other; here; here = nodes().find((one) => one.dataset.node === here.dataset.parent)) {
    if (here === node) return true;
  }
  return false;
};

const dress = () => {
  for (const node of nodes()) node.querySelector(".node").draggable = true;
};

chart.addEventListener("dragstart", (event) => {
  dragged = event.target.closest("[data-node]");
  dragged.classList.add("is-moving");
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", dragged.dataset.node);
});

chart.addEventListener("dragover", (event) => {
  const over = event.target.closest("[data-node]");
  for (const node of nodes()) node.classList.toggle("is-target", node === over && dragged && !isBelow(dragged, over));
  if (over && dragged && !isBelow(dragged, over)) event.preventDefault();
});

chart.addEventListener("drop", (event) => {
  const over = event.target.closest("[data-node]");
  if (!over || !dragged || isBelow(dragged, over)) return;
  event.preventDefault();
  propose(dragged, over.dataset.node);
});

chart.addEventListener("dragend", () => {
  for (const node of nodes()) node.classList.remove("is-moving", "is-target");
  dragged = null;
});

chart.addEventListener("keydown", (event) => {
  const node = event.target.closest("[data-node]");
  if (!node) return;
  const list = siblings(node);
  const at = list.indexOf(node);
  const step = { ArrowUp: -1, ArrowDown: 1 }[event.key];
  if (step && !event.altKey) {
    const all = nodes();
    all[all.indexOf(node) + step]?.querySelector("a").focus();
  } else if (!event.altKey) return;
  else if (event.key === "ArrowRight" && at > 0) propose(node, above(node, list).dataset.node);
  else if (event.key === "ArrowLeft" && node.dataset.parent) {
    propose(node, nodes().find((one) => one.dataset.node === node.dataset.parent).dataset.parent);
  } else if (event.key === "ArrowUp" && at > 0) order(node, list[at - 2] ?? null);
  else if (event.key === "ArrowDown" && at < list.length - 1) order(node, list[at + 1]);
  else return;
  event.preventDefault();
});

dress();
document.addEventListener("filtered", dress);
