// What hangs on the judgement, fetched anew after a hand changed something; the rest of the page stays as it is.
import { explain } from "../page.js";
import { fragment } from "../talk.js";

/** Take over verdict and side of the newest judgement with a chosen mark; resolves with the data of the page, or with null where `mayTake()` says no by then. */
export async function fetchJudged(root, side, letters, mayTake) {
  const content = await fragment(`${root.dataset.judged}?mark=${encodeURIComponent(letters)}`);
  if (!mayTake()) return null;
  const part = (name) => content.querySelector(`[data-part=${name}]`);
  const text = content.querySelector("script").textContent;
  const verdict = document.getElementById("verdict");
  verdict.replaceChildren(...part("verdict").childNodes);
  explain(verdict);
  side.take(part("side"));
  document.getElementById("review-data").textContent = text;
  return JSON.parse(text);
}
