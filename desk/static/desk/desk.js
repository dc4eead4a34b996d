/* Small behaviours found by data- attributes: theme, keys, wells, keypad, lost connection. Every page works without them. */

const year = 60 * 60 * 24 * 365;
const typing = (el) => el && (el.matches("input, textarea, select") || el.isContentEditable);

/* day and night without a reload */
document.addEventListener("click", (event) => {
  const link = event.target.closest("[data-theme-switch]");
  if (!link) return;
  event.preventDefault();
  const to = document.documentElement.dataset.theme === "night" ? "day" : "night";
  document.documentElement.dataset.theme = to;
  document.cookie = `theme=${to};path=/;max-age=${year};samesite=lax`;
});

/* print keys, dialog of keys, reliefs that put their figures in, a select that opens its page */
const sheet = document.getElementById("keysheet");
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
  if (event.target.closest("[data-close]")) sheet?.close();
  if (sheet && event.target.closest("[data-help]")) {
    event.preventDefault();
    sheet.showModal();
  }
  const put = event.target.closest("[data-put]");
  if (put) {
    for (const pair of put.dataset.put.split(";").filter(Boolean)) {
      const [name, value] = pair.split("=");
      const well = document.getElementById(name);
      if (well) well.value = value;
    }
    document.getElementById("benchform")?.dispatchEvent(new Event("input", { bubbles: true }));
    const first = document.querySelector("#benchform [data-well]");
    first?.dispatchEvent(new Event("input", { bubbles: true }));
    first?.focus();
  }
});
document.addEventListener("change", (event) => {
  if (event.target.matches("[data-go]")) {
    for (const well of event.target.form.querySelectorAll("[data-well]")) well.disabled = true; // the other chest brings its own figures
    event.target.form.submit();
  }
  if (event.target.id === "grade" && event.target.form?.id === "benchform") event.target.form.submit();
});

/* wells: Enter goes on, arrows step in the last digit, Esc puts the figure back */
const stepOf = (text) => (text.includes(".") ? 10 ** -text.split(".")[1].length : 1);
document.addEventListener("focusin", (event) => {
  if (event.target.matches("[data-well]")) {
    event.target.dataset.was = event.target.value;
    event.target.select();
    lastWell = event.target;
  }
});
let lastWell = null;
document.addEventListener("keydown", (event) => {
  const well = event.target.closest?.("[data-well]");
  if (!well || event.ctrlKey || event.metaKey || event.altKey) return;
  const wells = [...document.querySelectorAll("[data-well]:not([disabled])")];
  if (event.key === "Enter") {
    event.preventDefault();
    const next = wells[wells.indexOf(well) + 1];
    if (next) next.focus();
    else well.form?.querySelector("button.go, button[type=submit], button:not([type])")?.focus();
  } else if (event.key === "Escape") {
    well.value = well.dataset.was ?? well.value;
    well.dispatchEvent(new Event("input", { bubbles: true }));
    well.blur();
  } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
    const text = well.value.trim().replace(",", ".");
    if (text === "" || Number.isNaN(Number(text))) return;
    event.preventDefault();
    const step = stepOf(text);
    const digits = text.includes(".") ? text.split(".")[1].length : 0;
    well.value = (Number(text) + (event.key === "ArrowUp" ? step : -step)).toFixed(digits);
    well.dispatchEvent(new Event("input", { bubbles: true }));
  }
});

/* the record page: only Record, or Ctrl and Enter, writes; Enter anywhere in it goes to the next well */
document.addEventListener("keydown", (event) => {
  const form = event.target.closest?.("form[data-sample]");
  if (!form || event.key !== "Enter") return;
  if (event.ctrlKey || event.metaKey) {
    event.preventDefault();
    form.requestSubmit(form.querySelector("button.go[type=submit]"));
  } else if (event.target.matches("input, select") && !event.target.matches("[data-well], [type=checkbox]")) {
    event.preventDefault();
    form.querySelector("button.go[type=submit]")?.focus();
  }
});

/* the keypad of the tablet page types into the well that had the focus */
document.addEventListener("click", (event) => {
  const key = event.target.closest("[data-pad-key]");
  if (!key) return;
  const wells = [...document.querySelectorAll("[data-well]:not([disabled])")];
  const well = lastWell && wells.includes(lastWell) ? lastWell : wells[0];
  if (!well) return;
  const what = key.dataset.padKey;
  const at = wells.indexOf(well);
  if (what === "next") wells[Math.min(at + 1, wells.length - 1)].focus();
  else if (what === "prev") wells[Math.max(at - 1, 0)].focus();
  else {
    const whole = well.selectionStart === 0 && well.selectionEnd === well.value.length && well.value.length > 0 && document.activeElement === well;
    if (what === "clear") well.value = "";
    else if (what === "back") well.value = well.value.slice(0, -1);
    else if (what !== "." || !well.value.includes(".")) well.value = (whole ? "" : well.value) + what;
    lastWell = well;
    well.focus();
    well.setSelectionRange(well.value.length, well.value.length);
    well.dispatchEvent(new Event("input", { bubbles: true }));
  }
});

/* single keys, while no well has the focus */
const places = { S: "/", L: "/lab/", D: "/schedule/", G: "/log/", P: "/practice/" };
const stations = ["deliver", "chips", "cook", "wash", "bleach", "recovered", "clean", "refine", "stock", "blend"];
const walk = (selector, by) => {
  const all = [...document.querySelectorAll(selector)].filter((el) => el.offsetParent !== null);
  if (!all.length) return false;
  const inside = all.findIndex((el) => el === document.activeElement || el.contains(document.activeElement));
  const target = all[inside < 0 ? (by > 0 ? 0 : all.length - 1) : Math.min(all.length - 1, Math.max(0, inside + by))];
  (target.matches("a, button") ? target : target.querySelector("a, button"))?.focus();
  return true;
};
document.addEventListener("keydown", (event) => {
  if (document.body.dataset.keys === "off" || typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
  if (sheet?.open) return;
  const key = event.key;
  if (key === "?") {
    if (sheet) sheet.showModal();
    else location.assign("/help/");
  } else if (/^[0-9]$/.test(key) && sheet) location.assign(`/station/${stations[Number(key)]}/`);
  else if (event.shiftKey && places[key] && sheet) location.assign(places[key]);
  else if (key === "ArrowRight" || key === "ArrowLeft") {
    if (walk(".col[href]", key === "ArrowRight" ? 1 : -1)) event.preventDefault();
  } else if (key === "ArrowDown" || key === "ArrowUp") {
    if (walk("[data-row], .rl, .due li", key === "ArrowDown" ? 1 : -1)) event.preventDefault();
  } else {
    if (slipKey(key)) {
      event.preventDefault();
      return;
    }
    const found = [...document.querySelectorAll(`[data-key="${CSS.escape(key)}"]`)].find((el) => el.offsetParent !== null && !el.disabled);
    if (!found) return;
    event.preventDefault();
    if (found.matches("a, button")) found.click();
    else {
      found.scrollIntoView({ block: "nearest" });
      found.focus();
    }
  }
});

/* t, a, r belong to the slip that has the focus; without one the first slip gets it, visibly. Nothing is taken by one key. */
const slipKey = (key) => {
  const open = document.querySelector("[data-confirm]");
  if (open?.contains(document.activeElement)) {
    if (key === "y") open.querySelector("[data-yes]")?.click();
    else if (key === "b") open.querySelector("[data-back]")?.click();
    else return false;
    return true;
  }
  if (!"tar".includes(key) || key.length !== 1) return false;
  const slips = [...document.querySelectorAll("[data-slip]")].filter((el) => el.offsetParent !== null && el.querySelector("[data-slip-key]"));
  if (!slips.length) return false;
  const here = slips.find((el) => (el.closest("[data-slip-row]") || el).contains(document.activeElement));
  const keys = (here || slips[0]).querySelector(`[data-slip-key="${key}"]`);
  if (here || slips.length === 1 && !slips[0].closest("[data-slip-row]")) keys?.click();
  else slips[0].querySelector("[data-slip-key]")?.focus();
  return true;
};
document.body.addEventListener("htmx:afterSwap", (event) => {
  event.detail.target.querySelector?.("[data-confirm] [data-yes]")?.focus();
});
const asked = new WeakMap(); // slips as they stood before their question
document.body.addEventListener("htmx:beforeSwap", (event) => {
  const slip = event.detail.target;
  if (slip.matches?.("[data-slip]") && !slip.querySelector("[data-confirm]")) asked.set(slip, slip.innerHTML);
});
document.addEventListener("click", (event) => {
  const slip = event.target.closest("[data-confirm] [data-back]")?.closest("[data-slip]");
  if (!slip || !asked.has(slip)) return;
  event.preventDefault();
  slip.innerHTML = asked.get(slip);
  window.htmx.process(slip);
  slip.querySelector("[data-slip-key]")?.focus();
});
/* an open question is not wiped by the page's own freshness */
document.body.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.elt.id === "live" && document.querySelector("#live [data-confirm]")) event.preventDefault();
});
/* the minute in which a move can be undone runs down once */
const runDown = () => {
  document.querySelectorAll("[data-left]").forEach((svg) => {
    const run = svg.querySelector(".run");
    const left = Number(svg.dataset.left);
    if (!run || svg.dataset.runs) return;
    svg.dataset.runs = "1";
    const until = Date.now() + left * 1000;
    const tick = () => {
      const rest = Math.max(0, (until - Date.now()) / 1000);
      run.setAttribute("d", `M0 6H${(120 * rest) / 60}`);
      if (rest > 0 && svg.isConnected) window.setTimeout(tick, 500);
    };
    tick();
  });
};
runDown();
document.body.addEventListener("htmx:afterSwap", runDown);

/* say when the desk does not hear the server; keep the last picture, mark it old */
const lost = document.getElementById("lost");
const silent = () => {
  if (!lost) return;
  const now = new Date().toTimeString().slice(0, 5);
  if (!lost.classList.contains("on")) lost.textContent = `Last heard ${now}. What you see is old; nothing typed is lost. It tries again.`;
  lost.classList.add("on");
  document.querySelector(".clock")?.classList.add("stale");
};
document.body.addEventListener("htmx:sendError", silent);
document.body.addEventListener("htmx:timeout", silent);
document.body.addEventListener("htmx:responseError", (event) => {
  if (event.detail.xhr.status >= 500) silent();
});
document.body.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.successful) lost?.classList.remove("on");
});

/* a form that is being sent to be kept asks nothing more of its answer; one that only asks may ask again and again */
document.addEventListener("submit", (event) => {
  if (event.target.method === "post") event.target.dataset.sent = "1";
});
window.addEventListener("pageshow", () => document.querySelectorAll("form[data-sent]").forEach((form) => delete form.dataset.sent));
document.body.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.elt.closest("form")?.dataset.sent) event.preventDefault();
});

/* live parts keep the focus where it stood */
let stood = null;
document.body.addEventListener("htmx:beforeSwap", (event) => {
  const el = document.activeElement;
  stood = event.detail.target.contains(el) ? { href: el.getAttribute("href"), id: el.id, value: el.value, name: el.name } : null;
});
document.body.addEventListener("htmx:afterSwap", () => {
  document.querySelectorAll(".f .msg, .ent .msg").forEach((msg) => {
    const well = document.getElementsByName(msg.id.replace(/_e$/, ""))[0];
    if (well) well.setAttribute("aria-invalid", String(msg.textContent.trim() !== ""));
  });
  if (!stood) return;
  const again = (stood.id && document.getElementById(stood.id)) || (stood.href && document.querySelector(`#live a[href="${CSS.escape(stood.href)}"]`));
  again?.focus({ preventScroll: true });
});

/* a trend: draw across the picture to see that stretch alone; the wheel with Ctrl goes closer and wider */
const plotted = { left: 44, right: 776, width: 860 };
let drawn = null;
const when = (svg, clientX) => {
  const box = svg.getBoundingClientRect();
  const x = ((clientX - box.left) / box.width) * plotted.width;
  const share = Math.min(1, Math.max(0, (x - plotted.left) / (plotted.right - plotted.left)));
  const { from, to } = svg.closest("[data-trend]").dataset;
  return { x: plotted.left + share * (plotted.right - plotted.left), at: Math.round(Number(from) + share * (Number(to) - Number(from))) };
};
const show = (from, to) => {
  const url = `${location.pathname}?from=${Math.round(from)}&to=${Math.round(to)}`;
  window.htmx.ajax("GET", url, { target: "#answer", swap: "outerHTML", push: "true" });
};
document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest("[data-plot]");
  if (svg && event.button === 0) drawn = { svg, ...when(svg, event.clientX) };
});
document.addEventListener("pointermove", (event) => {
  if (!drawn) return;
  const here = when(drawn.svg, event.clientX);
  const mark = drawn.svg.querySelector("[data-drawn]");
  mark?.setAttribute("x", Math.min(drawn.x, here.x));
  mark?.setAttribute("width", Math.abs(here.x - drawn.x));
});
document.addEventListener("pointerup", (event) => {
  if (!drawn) return;
  const here = when(drawn.svg, event.clientX);
  const [first, last] = [drawn, here].sort((a, b) => a.at - b.at);
  drawn.svg.querySelector("[data-drawn]")?.setAttribute("width", 0);
  if (last.x - first.x > 12) show(first.at, last.at);
  drawn = null;
});
document.addEventListener(
  "wheel",
  (event) => {
    const svg = event.target.closest?.("[data-plot]");
    if (!svg || !event.ctrlKey) return;
    event.preventDefault();
    const { from, to } = svg.closest("[data-trend]").dataset;
    const { at } = when(svg, event.clientX);
    const factor = event.deltaY < 0 ? 0.5 : 2;
    show(at - (at - Number(from)) * factor, at + (Number(to) - at) * factor);
  },
  { passive: false },
);

/* a cook's profile: the squares are dragged, or moved by typing; 5 min and 1 degree a step of the grid while dragging */
const frame = { left: 45, right: 520, top: 30, bottom: 236, low: 60, high: 180, width: 600 };
let dragged = null;
document.addEventListener("pointerdown", (event) => {
  const handle = event.target.closest("[data-handle]");
  if (!handle) return;
  event.preventDefault();
  dragged = { svg: handle.ownerSVGElement, i: handle.dataset.handle, handle };
});
document.addEventListener("pointermove", (event) => {
  if (!dragged) return;
  const box = dragged.svg.getBoundingClientRect();
  const scale = frame.width / box.width;
  const x = (event.clientX - box.left) * scale;
  const y = (event.clientY - box.top) * scale;
  const span = Number(dragged.svg.dataset.span);
  const minute = Math.max(0, Math.round(((x - frame.left) / (frame.right - frame.left)) * span));
  const temp = Math.min(200, Math.max(-10, Math.round(frame.low + ((frame.bottom - y) / (frame.bottom - frame.top)) * (frame.high - frame.low))));
  const m = document.getElementById(`m${dragged.i}`);
  const t = document.getElementById(`t${dragged.i}`);
  if (!m || !t) return;
  if (Number(dragged.i) > 0) m.value = minute;
  t.value = temp;
  for (const rect of dragged.handle.querySelectorAll("rect")) {
    if (Number(dragged.i) > 0) rect.setAttribute("x", Math.min(frame.right, Math.max(frame.left, x)));
    rect.setAttribute("y", Math.min(frame.bottom, Math.max(frame.top, y)));
  }
});
document.addEventListener("pointerup", () => {
  if (!dragged) return;
  document.getElementById(`t${dragged.i}`)?.dispatchEvent(new Event("input", { bubbles: true }));
  dragged = null;
});

/* a sheet to draw on: strokes in its own units of 800 by 500, kept in the form as they grow */
for (const box of document.querySelectorAll("[data-sketch]")) {
  const sheetOf = box.querySelector("svg");
  const ink = sheetOf.querySelector(".ink");
  const kept = box.parentElement.querySelector("[name=drawing]");
  const most = { strokes: 200, points: 6000 };
  let strokes = kept.value ? JSON.parse(kept.value) : [];
  let open = null;
  box.hidden = false;
  const keep = () => {
    kept.value = strokes.length ? JSON.stringify(strokes) : "";
  };
  const pathOf = (s) => `M${s[0].join(" ")}${s.length > 1 ? s.slice(1).map((p) => `L${p.join(" ")}`).join("") : "h0"}`;
  const at = (event) => {
    const on = sheetOf.getBoundingClientRect();
    const within = (v, high) => Math.min(high, Math.max(0, Math.round(v)));
    return [within(((event.clientX - on.left) / on.width) * 800, 800), within(((event.clientY - on.top) / on.height) * 500, 500)];
  };
  sheetOf.addEventListener("pointerdown", (event) => {
    if (event.button > 0 || open || strokes.length >= most.strokes) return;
    event.preventDefault();
    sheetOf.setPointerCapture(event.pointerId);
    open = { id: event.pointerId, points: [at(event)], line: document.createElementNS("http://www.w3.org/2000/svg", "path") };
    open.line.setAttribute("d", pathOf(open.points));
    ink.append(open.line);
  });
  sheetOf.addEventListener("pointermove", (event) => {
    if (open?.id !== event.pointerId) return;
    const [x, y] = at(event);
    const [wasX, wasY] = open.points.at(-1);
    if (Math.hypot(x - wasX, y - wasY) < 3 || strokes.flat().length + open.points.length >= most.points) return;
    open.points.push([x, y]);
    open.line.setAttribute("d", pathOf(open.points));
  });
  for (const end of ["pointerup", "pointercancel"])
    sheetOf.addEventListener(end, (event) => {
      if (open?.id !== event.pointerId) return;
      strokes.push(open.points);
      open = null;
      keep();
    });
  box.querySelector("[data-sketch-undo]").addEventListener("click", () => {
    strokes.pop();
    ink.lastElementChild?.remove();
    keep();
  });
  box.querySelector("[data-sketch-clear]").addEventListener("click", () => {
    strokes = [];
    ink.replaceChildren();
    keep();
  });
}

/* a search that takes seconds says how many it has taken, and is given up at a press: what stood stays */
let search = null;
document.addEventListener("htmx:beforeRequest", (event) => {
  const asker = event.detail.elt;
  const place = asker.getAttribute?.("hx-indicator");
  const box = place && document.querySelector(`${place}[data-looking]`);
  if (!box) return;
  const begun = Date.now();
  const told = box.querySelector("[data-seconds]");
  const timer = setInterval(() => { told.textContent = Math.floor((Date.now() - begun) / 1000); }, 250);
  search = { asker, timer };
});
document.addEventListener("htmx:afterRequest", (event) => {
  if (search?.asker !== event.detail.elt) return;
  clearInterval(search.timer);
  search = null;
});
document.addEventListener("click", (event) => {
  if (search && event.target.closest?.("[data-give-up]")) window.htmx.trigger(search.asker, "htmx:abort");
});

/* a plan's order is dragged along its axis: where it is let go it stands before the first order whose middle lies behind it */
const movable = "g[data-order]:not([data-fixed]), g[data-stop], g[data-hold]";
const held = (event) => event.target.closest?.(movable) && event.preventDefault(); // the finger moves the bar, not the page
document.addEventListener("touchstart", held, { passive: false });
document.addEventListener("pointerdown", (event) => {
  const bar = event.target.closest?.(movable);
  const plan = bar?.closest("svg[data-plan]");
  if (!plan || event.button > 0) return;
  event.preventDefault();
  bar.setPointerCapture(event.pointerId);
  const from = event.clientX;
  let by = 0;
  const middle = (el) => {
    const box = el.querySelector("rect").getBoundingClientRect();
    return box.left + box.width / 2;
  };
  const move = (e) => {
    by = e.clientX - from;
    const scale = plan.viewBox.baseVal.width / plan.getBoundingClientRect().width;
    bar.setAttribute("transform", `translate(${by * scale} 0)`);
  };
  const end = (e) => {
    bar.removeEventListener("pointermove", move);
    const told = Math.abs(by) > 4 && e.type === "pointerup";
    const at = middle(bar);
    bar.removeAttribute("transform");
    if (!told) return;
    const ask = (address) => window.htmx.ajax("GET", address, { target: "#answer", swap: "outerHTML", push: "true" });
    if (bar.dataset.stop || bar.dataset.hold) {
      const axis = plan.querySelector("#axis rect").width.baseVal.value; // px of the clock's hours
      const scale = plan.viewBox.baseVal.width / plan.getBoundingClientRect().width;
      const key = bar.dataset.stop || bar.dataset.hold;
      const already = plan.dataset.tried === key ? Number(plan.dataset.by) : 0;
      const hours = already + Math.round((2 * by * scale * Number(plan.dataset.hours)) / axis) / 2; // to half an hour
      ask(hours ? `${plan.dataset.stopWays}&${bar.dataset.stop ? "stop" : "hold"}=${key}&by=${hours}` : plan.dataset.stopWays);
      return;
    }
    const others = [...plan.querySelectorAll("g[data-order]")].filter((el) => el !== bar);
    const fixed = Number(plan.dataset.fixed);
    let place = others.findIndex((el) => middle(el) > at);
    if (place < 0) place = others.length;
    const numbers = others.map((el) => el.dataset.order);
    numbers.splice(Math.max(fixed, place), 0, bar.dataset.order);
    const hidden = plan.dataset.plan.split(",").filter((number) => !numbers.includes(number)); // behind the clock's end
    const address = `?orders=${encodeURIComponent([...numbers, ...hidden].join(","))}${plan.dataset.more}`;
    ask(address);
  };
  bar.addEventListener("pointermove", move);
  bar.addEventListener("pointerup", end, { once: true });
  bar.addEventListener("pointercancel", end, { once: true });
});
