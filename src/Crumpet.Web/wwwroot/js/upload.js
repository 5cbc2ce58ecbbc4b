// Files and folders dropped anywhere on a page, or picked, go to the page's form for them.

const say = (form, text) => { form.querySelector("label").textContent = text; };

function answerOf(request) {
  try {
    return JSON.parse(request.responseText);
  } catch {
    return { problem: `The files were not taken (${request.status}); try again with fewer at once.` };
  }
}

function upload(form, files) {
  if (!files.length) return;
  const { mostFiles, mostBytes } = form.dataset, whole = files.reduce((sum, { file }) => sum + file.size, 0);
  if (files.length > +mostFiles || whole > +mostBytes) {
    say(form, `That is too much at once: at most ${mostFiles} files and ${Math.floor(mostBytes / 2 ** 30)} GiB are taken; drop fewer at a time, or a zip.`);
    return form.classList.add("refused");
  }
  const data = new FormData(form);
  data.delete("files");
  // A file's name carries its folders, so that textures are found where meshes look for them.
  for (const { file, path } of files) data.append("files", file, path);
  const bar = form.querySelector("progress"), request = new XMLHttpRequest(), count = files.length === 1 ? "1 file" : `${files.length} files`;
  request.open("POST", form.action);
  request.setRequestHeader("Accept", "application/json");
  request.upload.addEventListener("progress", (event) => {
    bar.hidden = false;
    if (!event.lengthComputable) return;
    bar.value = event.loaded / event.total;
    say(form, event.loaded < event.total ? `Sending ${count}: ${Math.round(100 * event.loaded / event.total)} % of ${(event.total / 1048576).toFixed(1)} MiB.`
      : `Taking ${count} in.`);
  });
  request.addEventListener("load", () => {
    const { go, problem } = answerOf(request);
    if (!problem) return location.assign(go);
    say(form, problem);
    bar.hidden = true;
    form.classList.add("refused");
    if (go) form.append(Object.assign(document.createElement("a"), { href: go, textContent: "Show what was taken", className: "button-quiet small" }));
  });
  request.addEventListener("error", () => say(form, "Crumpet cannot be reached; start it and drop the files again."));
  request.send(data);
}

/** All files below a dropped entry, with their paths below the folder that was dropped. */
export async function filesOf(entry, folder) {
  if (entry.isFile) return [{ file: await new Promise((done, failed) => entry.file(done, failed)), path: folder + entry.name }];
  const reader = entry.createReader(), found = [];
  // A reader gives a hundred entries at a time.
  for (let some; (some = await new Promise((done, failed) => reader.readEntries(done, failed))).length;)
    for (const inner of some) if (!inner.name.startsWith(".")) found.push(...(await filesOf(inner, folder === null ? "" : `${folder}${entry.name}/`)));
  return found;
}

const formAt = (event) => event.target.closest?.("[data-drop]") ?? document.querySelector("[data-drop]");

document.addEventListener("dragover", (event) => {
  const form = formAt(event);
  if (!form || !event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  form.classList.add("over");
});
document.addEventListener("dragleave", () => document.querySelectorAll(".drop.over").forEach((d) => d.classList.remove("over")));
document.addEventListener("drop", async (event) => {
  const form = formAt(event);
  if (!form || !event.dataTransfer?.files.length) return;
  event.preventDefault();
  form.classList.remove("over");
  const entries = [...event.dataTransfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean), plain = [...event.dataTransfer.files];
  try {
    // A folder's own name says nothing about what lies inside it.
    const lists = entries.length ? await Promise.all(entries.map((entry) => filesOf(entry, entry.isDirectory ? null : "")))
      : [plain.map((file) => ({ file, path: file.name }))];
    upload(form, lists.flat());
  } catch (error) {
    say(form, `A dropped file cannot be read (${error.message}); drop it again.`);
  }
});
document.addEventListener("change", (event) => {
  const form = event.target.closest?.("[data-drop]");
  if (form && event.target.files?.length) upload(form, [...event.target.files].map((file) => ({ file, path: file.webkitRelativePath || file.name })));
});
