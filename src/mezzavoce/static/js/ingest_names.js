// What the name of a file says about its programme: a number and a title, to be corrected by a person.

const EXTENSION = /\.[a-z0-9]{2,4}$/i;
const VERSION = /\b(mix|v|ver|version|rev|take)[\s._-]*\d+\b/gi;
const TECHNICAL =
  /\b(mix|final|master|stereo|mono|5[. ]1|2[. ]0|lr|ltrt|prores|h26[45]|\d{3,4}[pi]|\d{2,3}k(hz)?|24bit|r128|fullmix|printmaster)\b/gi;
const NUMBER = /(?:^|\s)(?:s\d{1,2})?(?:ep?|episode|folge|no\.?|#)?\s?(\d{1,4})(?=\s|$)/i;

/** `{ number, title }`, each empty where the name says nothing; words of the production's name alone are no title. */
export function readName(name, production = "") {
  const words = name
    .replace(EXTENSION, "")
    .replace(/[_.\-–]+/g, " ")
    .replace(VERSION, " ")
    .replace(TECHNICAL, " ");
  const found = NUMBER.exec(words);
  const left = (found ? words.replace(found[0], " ") : words).split(/\s+/).filter(Boolean);
  const known = new Set(production.toLowerCase().split(/\s+/));
  const title = left.every((word) => known.has(word.toLowerCase())) ? "" : left.join(" ");
  return { number: found ? Number(found[1]) : "", title: /\p{L}{2}/u.test(title) ? title : "" };
}

/** The stem that the name of a file speaks of; "" where it speaks of none. */
export function roleOf(name) {
  const low = name.toLowerCase();
  const found = [
    ["dialogue", /dialog|voice|speech|narr|\bdx\b|_dx|\bvo\b/],
    ["music", /music|\bmx\b|_mx|\bmus\b/],
    ["effects", /effect|\bfx\b|_fx|sfx|ambien/],
    ["background", /m\+e|m&e|backgr/],
  ].find(([, like]) => like.test(low));
  return found ? found[0] : "";
}

/** Fill the fields of a new programme in, or choose the planned one of that number. What a person wrote stays. */
export function propose(name, production) {
  const choice = document.getElementById("id_programme");
  const number = document.getElementById("id_number");
  const title = document.getElementById("id_title");
  if (choice.value || number.value || title.value) return;
  const said = readName(name, production);
  const planned = Array.from(choice.options).find((option) => option.text.startsWith(`${said.number} `));
  if (said.number && planned) {
    choice.value = planned.value;
    choice.dispatchEvent(new Event("change", { bubbles: true }));
  } else {
    number.value = said.number;
    title.value = said.title;
  }
}
