// Finds and orders the programmes on the desk, also after the desk was drawn anew.

/** Look after the search over `desk`; returns what has to be called when its rows are new. */
export function makeFind(desk) {
  const words = document.getElementById("find-words");
  const standing = document.getElementById("find-standing");
  const which = document.getElementById("find-which");
  const order = document.getElementById("find-order");
  const count = document.getElementById("find-count");

  function apply() {
    const body = desk.querySelector(".rows tbody");
    const rows = Array.from(body.querySelectorAll("tr"));
    const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
    rows.forEach((row) => {
      const text = row.querySelector("th").textContent.toLowerCase();
      const found = wanted.every((word) => text.includes(word));
      const other = standing.value && row.dataset.standing !== standing.value;
      row.hidden = !found || Boolean(other) || !IS[which.value](row, which.dataset.today);
    });
    arrange(body, rows, order.value);
    const shown = rows.filter((row) => !row.hidden).length;
    count.textContent = shown < rows.length ? `${shown} of ${rows.length}` : "";
  }

  [words, standing, which, order].forEach((field) => field.addEventListener("input", apply));
  words.addEventListener("keydown", (event) => {
    if (event.key === "Escape") {
      words.value = "";
      apply();
      words.blur();
    }
    if (event.key === "Enter") desk.querySelector(".rows tbody tr:not([hidden]) th a")?.click();
  });
  apply();
  return { apply, focus: () => words.focus() };
}

/** Whether a row is one of those that are asked for; days as they are written in data. */
const IS = {
  "": () => true,
  open: (row) => Number(row.dataset.open) > 0,
  overdue: (row, today) => row.dataset.due !== "" && row.dataset.due < today,
  week: (row, today) => row.dataset.due !== "" && row.dataset.due <= inAWeek(today),
  mine: (row) => "mine" in row.dataset,
};

function inAWeek(today) {
  const day = new Date(`${today}T00:00:00Z`);
  day.setUTCDate(day.getUTCDate() + 7);
  return day.toISOString().slice(0, 10);
}

const KEYS = {
  number: (row) => Number(row.dataset.programme),
  due: (row) => row.dataset.due || "9999",
  open: (row) => -Number(row.dataset.open),
};

/** Rows in an order; those alike by number. What stands in its place already is not touched. */
function arrange(body, rows, by) {
  const key = KEYS[by];
  const wanted = [...rows].sort((a, b) => {
    const [x, y] = [key(a), key(b)];
    if (x !== y) return x < y ? -1 : 1;
    return KEYS.number(a) - KEYS.number(b);
  });
  if (wanted.some((row, at) => row !== rows[at])) body.append(...wanted);
}
