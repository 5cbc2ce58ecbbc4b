// A texture as it would be, made when it is asked for and set beside how it is stored now.

document.addEventListener("click", async ({ target }) => {
  const press = target.closest("[data-would-be]"), map = document.querySelector("[data-map-viewer]")?.map;
  if (!press || !map) return;
  press.disabled = true;
  map.readout.textContent = "converting";
  const query = new URLSearchParams({ handler: "WouldBe", way: press.dataset.wouldBe });
  const answer = await fetch(`${location.pathname}?${query}`).catch(() => null);
  press.disabled = false;
  if (!answer?.ok) {
    map.readout.textContent = "That cannot be shown any more; reload the page.";
    return;
  }
  const { now, wouldBe } = await answer.json();
  map.compare = "wipe";
  await map.showLive([{ ...map.choice(now), key: "live-now", group: wouldBe.group }, wouldBe]);
});
