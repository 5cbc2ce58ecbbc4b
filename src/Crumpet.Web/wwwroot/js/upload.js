// Files dropped anywhere on a page, or picked, go to the page's form for them.

function upload(form, files) {
  const data = new FormData(form);
  data.delete("files");
  for (const file of files) data.append("files", file);
  const bar = form.querySelector("progress");
  const request = new XMLHttpRequest();
  request.open("POST", form.action);
  request.upload.addEventListener("progress", (event) => {
    bar.hidden = false;
    if (event.lengthComputable) bar.value = event.loaded / event.total;
  });
  request.addEventListener("load", () => {
    if (request.responseURL && request.status < 400) location.assign(request.responseURL);
    else form.querySelector("label").textContent = `The files were not taken (${request.status}); try again with fewer at once.`;
  });
  request.addEventListener("error", () => { form.querySelector("label").textContent = "Crumpet cannot be reached; start it and drop the files again."; });
  request.send(data);
}

const formAt = (event) => event.target.closest?.("[data-drop]") ?? document.querySelector("[data-drop]");

document.addEventListener("dragover", (event) => {
  const form = formAt(event);
  if (!form || !event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  form.classList.add("over");
});
document.addEventListener("dragleave", () => document.querySelectorAll(".drop.over").forEach((d) => d.classList.remove("over")));
document.addEventListener("drop", (event) => {
  const form = formAt(event);
  if (!form || !event.dataTransfer?.files.length) return;
  event.preventDefault();
  form.classList.remove("over");
  upload(form, event.dataTransfer.files);
});
document.addEventListener("change", (event) => {
  const form = event.target.closest?.("[data-drop]");
  if (form && event.target.files?.length) upload(form, event.target.files);
});
