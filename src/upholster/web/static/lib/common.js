/** What every page needs: talking to the house, and saying things to the user. */

const token = document.querySelector("meta[name=csrf-token]").content;

/** Send JSON and read JSON; throws an Error with a sentence for people. */
export async function send(url, body = {}, options = {}) {
  const answer = await call(url, { body: JSON.stringify(body), headers: { "Content-Type": "application/json" }, ...options });
  return answer.status === 204 ? null : answer.json();
}

/** A POST with the page's token; throws an Error with a sentence for people. */
export async function call(url, options = {}) {
  const headers = { Accept: "application/json", "X-CSRF-Token": token, ...options.headers };
  let answer;
  try {
    answer = await fetch(url, { method: "POST", ...options, headers });
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Error("Upholster does not answer. Nothing is lost; it may be starting again.");
  }
  if (answer.ok) return answer;
  const told = await answer.json().catch(() => ({}));
  throw Object.assign(new Error(told.problem || "This did not work. Try again."), { status: answer.status });
}

/** What is at an address, as JSON; throws an Error with a sentence for people. */
export async function read(url) {
  return (await call(url, { method: "GET" })).json();
}

let hush;
/** Show one sentence for a while. */
export function say(sentence, link) {
  const box = document.getElementById("says");
  box.textContent = "";
  const card = document.createElement("p");
  card.className = "card pointer-events-auto px-4 py-2 shadow";
  card.textContent = sentence + " ";
  if (link) {
    const a = document.createElement("a");
    [a.href, a.textContent] = link;
    card.append(a);
  }
  box.append(card);
  clearTimeout(hush);
  hush = setTimeout(() => (box.textContent = ""), 7000);
}

/** What was refused is over once something else is asked for. */
document.body.addEventListener("htmx:beforeRequest", (event) => event.detail.elt.closest(".card")?.querySelector("[data-refused]")?.remove());

/** What is refused is said where it was asked for; the page stays as it is. */
document.body.addEventListener("htmx:responseError", (event) => {
  let sentence = "This did not work. Try again.";
  try {
    sentence = JSON.parse(event.detail.xhr.responseText).problem || sentence;
  } catch {
    /* not an answer of ours */
  }
  const card = event.detail.elt.closest(".card");
  if (!card) {
    say(sentence);
    return;
  }
  const words = document.createElement("p");
  words.className = "notice mx-3 my-2";
  words.dataset.refused = "";
  words.setAttribute("role", "alert");
  words.textContent = sentence;
  card.append(words);
});
/** Take the sentence away: what it asked for is done. */
export function unsay() {
  clearTimeout(hush);
  document.getElementById("says").textContent = "";
}

/** Files that are dropped where nothing takes them do not replace the page. */
document.body.addEventListener("dragover", (event) => event.dataTransfer?.types.includes("Files") && event.preventDefault());
document.body.addEventListener("drop", (event) => {
  if (event.defaultPrevented || !event.dataTransfer?.files.length) return;
  event.preventDefault();
  say("Bring files in on the Footage page.", ["/footage", "Go there"]);
});

document.body.addEventListener("htmx:sendError", () => say("Upholster does not answer. It may be starting again."));
