// What is chosen is a decision: its form is sent at once.
document.addEventListener("change", ({ target }) => { if (target.matches("[data-at-once]")) target.form.requestSubmit(); });
