// A camera of this machine: it shows, one key freezes, and what is frozen goes the way of any file.

document.addEventListener("DOMContentLoaded", () => {
  const box = document.querySelector("[data-camera]");
  const form = box.closest("form");
  const video = box.querySelector("video");
  const start = box.querySelector("[data-camera-start]");
  const which = box.querySelector("[data-camera-which]");
  const freeze = box.querySelector("[data-camera-freeze]");
  const says = box.querySelector("[data-camera-says]");
  let stream = null;

  const show = async (device) => {
    for (const track of stream?.getTracks() ?? []) track.stop();
    try {
      stream = await navigator.mediaDevices.getUserMedia({ video: { width: { ideal: 2592 }, height: { ideal: 1944 }, ...(device ? { deviceId: { exact: device } } : { facingMode: "environment" }) } });
    } catch (problem) {
      says.textContent = problem.name === "NotAllowedError" ? "The browser may not use the camera: allow it for this address." : "No camera answers: plug it in, or drop a file.";
      return;
    }
    video.srcObject = stream;
    video.hidden = false;
    await video.play();
    freeze.hidden = false;
    start.hidden = true;
    says.textContent = `${video.videoWidth} by ${video.videoHeight} pixels.`;
    const cameras = (await navigator.mediaDevices.enumerateDevices()).filter((one) => one.kind === "videoinput");
    which.hidden = cameras.length < 2;
    which.replaceChildren(...cameras.map((one, i) => new Option(one.label || `camera ${i + 1}`, one.deviceId, false, one.deviceId === stream.getVideoTracks()[0].getSettings().deviceId)));
  };
  const keep = async () => {
    if (!stream || freeze.disabled) return;
    freeze.disabled = true;
    const canvas = document.createElement("canvas");
    canvas.width = video.videoWidth;
    canvas.height = video.videoHeight;
    canvas.getContext("2d").drawImage(video, 0, 0);
    video.pause();
    const blob = await new Promise((take) => canvas.toBlob(take, "image/jpeg", 0.95));
    const bag = new DataTransfer();
    bag.items.add(new File([blob], "camera.jpg", { type: "image/jpeg" }));
    form.querySelector("[data-files]").files = bag.files;
    says.textContent = "Taken; saving.";
    form.requestSubmit();
  };
  start.addEventListener("click", () => show(""));
  which.addEventListener("change", () => show(which.value));
  freeze.addEventListener("click", keep);
  window.addEventListener("keydown", (event) => {
    if (stream && (event.key === " " || event.key === "PageDown") && !event.target.matches("input, select, textarea, button")) { event.preventDefault(); keep(); }
  });
});
