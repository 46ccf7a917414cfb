// The desk refreshes its parts by itself: quickly while something is measured, slowly otherwise.
import { fragment } from "./talk.js";

const desk = document.getElementById("desk");

async function refresh() {
  if (!document.hidden) {
    const focused = document.activeElement && desk.contains(document.activeElement) ? document.activeElement.getAttribute("href") : null;
    try {
      const seen = desk.querySelector("[data-news]")?.dataset.news || "";
      const parts = await fragment(`${desk.dataset.parts}?seen=${encodeURIComponent(seen)}`);
      if (parts) desk.replaceChildren(parts);
      if (focused) desk.querySelector(`a[href="${CSS.escape(focused).replace(/\\\//g, "/")}"]`)?.focus();
    } catch {
      // The next turn tries again; the page keeps what it shows.
    }
  }
  const busy = desk.querySelector("[data-active]")?.dataset.active !== "0";
  setTimeout(refresh, busy ? 1000 : 3000);
}

setTimeout(refresh, 1000);
