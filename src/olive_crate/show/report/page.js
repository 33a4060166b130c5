"use strict";
const search = document.getElementById("search");
const told = document.getElementById("found");
const articles = Array.from(document.querySelectorAll("article[data-find]"));
search.addEventListener("input", () => {
  const words = search.value.toLocaleLowerCase().split(/\s+/).filter(Boolean);
  let shown = 0;
  for (const each of articles) {
    const fits = words.every((word) => each.dataset.find.includes(word));
    each.hidden = !fits;
    shown += fits;
  }
  told.textContent = words.length ? `${shown} of ${articles.length} variables` : "";
});
addEventListener("beforeprint", () => {
  for (const each of document.querySelectorAll("article details")) each.open = true;
});
