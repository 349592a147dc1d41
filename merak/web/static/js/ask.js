// An answered question is no longer marked as open; what is unfolded on the board stays unfolded when it is drawn anew.
const form = document.getElementById("ask-form");
form?.addEventListener("change", (event) => event.target.closest(".question")?.classList.remove("open"));

let unfolded = [];
document.addEventListener("htmx:beforeSwap", () => { unfolded = [...document.querySelectorAll("#board details[open], .where[open]")].map((one) => one.id); });
document.addEventListener("htmx:afterSettle", () => { for (const id of unfolded) if (id) document.getElementById(id)?.setAttribute("open", ""); });
