/* What moves on a published page. Without it everything can be read: pictures stand beside each other, all readers are told. */

const made = (name, of) => Object.assign(document.createElement(name), of);

/* Two pictures under one divider. */
for (const both of document.querySelectorAll("[data-divider]")) {
  const range = made("input", { type: "range", min: 0, max: 100, value: 50 });
  range.setAttribute("aria-label", `Divider: ${both.dataset.divider}`);
  const line = made("b", { className: "line" });
  line.setAttribute("aria-hidden", "true");
  const show = () => both.style.setProperty("--at", `${range.value}%`);
  range.addEventListener("input", show);
  both.classList.add("divided");
  both.append(line);
  both.after(range);
  show();
}

/* A choice of one of several, before what it changes. */
const choice = (words, options, before, chosen) => {
  const choose = made("select", {});
  for (const of of options) choose.append(made("option", of));
  choose.addEventListener("change", () => chosen(choose.value));
  const label = made("label", { className: "choose", textContent: words });
  label.append(choose);
  before.before(label);
};

/* For whom: one reader at a time. */
for (const all of document.querySelectorAll("[data-readers]")) {
  const each = [...all.children];
  if (each.length < 2) continue;
  const named = each.map((one, at) => ({ value: at, textContent: one.querySelector("dt").textContent }));
  choice("Who reads: ", [{ value: "", textContent: "Every reader" }, ...named], all, (value) => {
    each.forEach((one, at) => {
      one.hidden = value !== "" && Number(value) !== at;
    });
  });
}

/* Whom all lanes of a table are held against. */
for (const table of document.querySelectorAll("table")) {
  const cells = [...table.querySelectorAll("[data-over]")];
  if (cells.length < 2) continue;
  const named = cells.map(({ dataset, textContent }, at) => ({
    value: dataset.lane,
    textContent: cells[at].closest("tr").querySelector("th").textContent,
    selected: textContent === "held against",
  }));
  choice("Held against: ", named, table.closest(".scrolls") ?? table, (value) => {
    for (const cell of cells) cell.textContent = JSON.parse(cell.dataset.over)[value];
  });
}

/* A picture larger than the window, also that of a phone: the one for wide pages, to be moved about. */
for (const drawn of document.querySelectorAll(".drawn")) {
  const picture = drawn.querySelector("svg");
  if (!picture) continue;
  const button = made("button", { type: "button", className: "larger", textContent: "Larger" });
  button.setAttribute("aria-label", `Larger: ${picture.querySelector("title")?.textContent ?? "picture"}`);
  button.addEventListener("click", () => {
    const whole = made("dialog", { className: "whole" });
    whole.setAttribute("aria-label", "Larger");
    const leave = made("button", { type: "button", textContent: "Close" });
    leave.addEventListener("click", () => whole.close());
    whole.addEventListener("close", () => {
      whole.remove();
      button.focus();
    });
    const scrolls = made("div", { tabIndex: 0 });
    scrolls.append((drawn.parentElement.querySelector(".wide svg") ?? picture).cloneNode(true));
    whole.append(leave, scrolls);
    document.body.append(whole);
    whole.showModal();
  });
  drawn.append(button);
}
