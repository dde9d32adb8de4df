// Dropping files, and how far they are on its way to the server.
import { $, notice } from "./common.js";

const zone = $("#dropzone");
const field = $("#file");

for (const name of ["dragenter", "dragover"]) {
  zone.addEventListener(name, (event) => {
    event.preventDefault();
    zone.classList.add("over");
  });
}
zone.addEventListener("dragleave", () => zone.classList.remove("over"));
zone.addEventListener("drop", (event) => {
  event.preventDefault();
  zone.classList.remove("over");
  field.files = event.dataTransfer.files;
  zone.requestSubmit();
});

zone.addEventListener("submit", (event) => {
  if (!field.files.length) return;
  event.preventDefault();
  const file = [...field.files].find((f) => f.size > Number(zone.dataset.limit));
  if (file) {
    return notice(`${file.name} is larger than the ${Math.round(zone.dataset.limit / 1e6)} MB that are taken. Leave out columns or rows.`);
  }
  const progress = $("#upload-progress");
  progress.hidden = false;
  // fetch cannot say how much was sent
  const request = new XMLHttpRequest();
  request.open("POST", zone.action);
  request.setRequestHeader("HX-Request", "true");
  request.upload.addEventListener("progress", (sent) => { progress.value = sent.loaded / sent.total; });
  request.addEventListener("load", () => {
    progress.hidden = true;
    if (request.status < 400) location.assign(request.responseURL);
    else notice(new DOMParser().parseFromString(request.responseText, "text/html").querySelector("p")?.textContent ?? "The files were not taken. Try again.");
  });
  request.addEventListener("error", () => {
    progress.hidden = true;
    notice("The files did not arrive. Check the connection and try again.");
  });
  request.send(new FormData(zone));
});
