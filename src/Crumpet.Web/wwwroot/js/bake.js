// The bake station's ticket: its button says what would be baked.

const form = () => document.getElementById("bake-form");

function nameButton() {
  const button = document.querySelector("[data-bake]"), values = new FormData(form()), maps = values.getAll("Maps").length;
  button.textContent = `Bake ${maps} map${maps === 1 ? "" : "s"} at ${values.get("Size")}`;
  button.disabled = maps === 0;
}

document.addEventListener("change", ({ target }) => { if (target.form === form()) nameButton(); });
document.body.addEventListener("page-renewed", nameButton);
nameButton();
