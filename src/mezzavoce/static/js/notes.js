// The notes of a mix: how mails fare and what editors answer appears by itself.
import { watchNews } from "./news.js";
import { fragment } from "./talk.js";

const sent = () => document.getElementById("sent");

if (sent()) watchNews(sent().dataset.news, () => sent().dataset.seen, async () => sent().replaceWith(await fragment(sent().dataset.address)));
