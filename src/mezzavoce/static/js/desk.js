// The desk keeps itself fresh: quickly while something is measured, slowly otherwise.
import { makeRefresh } from "./refresh.js";

const BUSY_MS = 1000;
const QUIET_MS = 3000;

const desk = document.getElementById("desk");
const { state: address, version } = desk.dataset;

makeRefresh({ address, version, pace: () => (desk.querySelector("progress") ? BUSY_MS : QUIET_MS) });
