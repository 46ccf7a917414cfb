// The desk keeps itself fresh: quickly while something is measured, slowly otherwise.
import { makeFind } from "./desk_find.js";
import { onKeys } from "./keys.js";
import { makeRefresh } from "./refresh.js";

const BUSY_MS = 1000;
const QUIET_MS = 3000;

const desk = document.getElementById("desk");
const { state: address, version } = desk.dataset;
const find = makeFind(desk);

onKeys({ "/": find.focus });
makeRefresh({
  address,
  version,
  pace: () => (desk.querySelector("progress") ? BUSY_MS : QUIET_MS),
  take: (state) => {
    if (state.parts?.rows) find.apply();
  },
});
