// The notes of a mix: how mails fare and what editors answer appears by itself.
import { makeRefresh } from "./refresh.js";

const sent = document.getElementById("sent");

if (sent) makeRefresh({ address: sent.dataset.state, version: sent.dataset.version });
