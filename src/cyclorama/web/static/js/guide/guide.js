/** The guide: a search that leaves only what has all its words. */

const box = document.getElementById("guide-search");

function search() {
  const words = box.value.toLowerCase().split(/\s+/).filter(Boolean);
  let found = 0;
  for (const section of document.querySelectorAll(".guide")) {
    const titled = words.every((word) => section.ariaLabel.toLowerCase().includes(word));
    let here = 0;
    for (const line of section.querySelectorAll(".how, li")) {
      line.hidden = !(titled || words.every((word) => line.textContent.toLowerCase().includes(word)));
      here += line.hidden ? 0 : 1;
    }
    section.hidden = !here;
    for (const picture of section.querySelectorAll("p:has(> img)")) picture.hidden = words.length > 0;
    found += here;
  }
  document.getElementById("guide-found").textContent = !words.length ? "" : found ? `${found} ${found === 1 ? "place" : "places"}` : "Nothing. Try another word.";
}

box.addEventListener("input", search);
box.value = new URLSearchParams(location.search).get("q") ?? "";
search();
