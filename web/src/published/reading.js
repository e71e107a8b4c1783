/* What moves on a published page. Without it everything can be read: pictures stand beside each other, all readers are told. */

const made = (name, of) => Object.assign(document.createElement(name), of);

/* Two pictures under one divider. */
for (const both of document.querySelectorAll("[data-divider]")) {
  const upper = both.querySelector("img");
  const range = made("input", { type: "range", min: 0, max: 100, value: 50 });
  range.setAttribute("aria-label", `Divider: ${both.dataset.divider}`);
  const line = made("b", { className: "line" });
  line.setAttribute("aria-hidden", "true");
  const show = () => {
    upper.style.clipPath = `inset(0 ${100 - range.value}% 0 0)`;
    line.style.left = `${range.value}%`;
  };
  range.addEventListener("input", show);
  both.classList.add("divided");
  both.append(line);
  both.after(range);
  show();
}

/* For whom: one reader at a time. */
for (const all of document.querySelectorAll("[data-readers]")) {
  const each = [...all.children];
  if (each.length < 2) continue;
  const choose = made("select", {});
  choose.append(made("option", { value: "", textContent: "Every reader" }));
  each.forEach((one, at) => {
    choose.append(made("option", { value: at, textContent: one.querySelector("dt").textContent }));
  });
  choose.addEventListener("change", () => {
    each.forEach((one, at) => {
      one.hidden = choose.value !== "" && Number(choose.value) !== at;
    });
  });
  const label = made("label", { className: "choose", textContent: "Who reads: " });
  label.append(choose);
  all.before(label);
}

/* A picture larger than the window, also that of a phone: the one for wide pages, to be moved about. */
for (const drawn of document.querySelectorAll(".drawn")) {
  const picture = drawn.querySelector("svg");
  if (!picture) continue;
  const button = made("button", { type: "button", className: "larger", textContent: "Larger" });
  button.setAttribute("aria-label", `Larger: ${picture.querySelector("title")?.textContent ?? "picture"}`);
  button.addEventListener("click", () => {
    const window = made("dialog", { className: "whole" });
    const leave = made("button", { type: "button", textContent: "Close" });
    leave.addEventListener("click", () => window.close());
    window.addEventListener("close", () => {
      window.remove();
      button.focus();
    });
    const scrolls = made("div", { tabIndex: 0 });
    scrolls.append((drawn.parentElement.querySelector(".wide svg") ?? picture).cloneNode(true));
    window.append(leave, scrolls);
    document.body.append(window);
    window.showModal();
  });
  drawn.append(button);
}
