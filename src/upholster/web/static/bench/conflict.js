/** Two windows changed the same: whoever works here sees both changes and chooses. */

const $ = (id) => document.getElementById(id);

/** A promise of whose change is to stand, "mine" or "theirs". */
export async function conflict(sentence, words) {
  const dialog = $("stale");
  $("stale-theirs").textContent = sentence;
  $("stale-mine").textContent = words ? `Here you changed: ${words}.` : "";
  $("keep-mine").hidden = !words;
  dialog.returnValue = "theirs";
  dialog.showModal();
  await new Promise((done) => dialog.addEventListener("close", done, { once: true }));
  return dialog.returnValue;
}
