// Draws the panes of the stage, on the page or into a picture.
/** Draws panes into whatever is the target now. */
export function paint(stage, panes) {
  const { renderer } = stage;
  renderer.setScissorTest(true);
  for (const { look, area, clip, h } of panes) {
    if (clip[1] < 1) continue;
    const side = stage.side(look), camera = aim(stage, { area, h }), materials = stage.book.drawnWith(look);
    renderer.setViewport(area.x, 0, area.width, h);
    renderer.setScissor(clip[0], 0, clip[1], h);
    renderer.setClearColor(0x777777);
    renderer.clear();
    if (!side || !materials) continue;
    stage.book.light(look, stage.camera);
    stage.figure?.rotation.set(0, stage.camera.yaw, 0);
    materials.forEach((material, i) => {
      showOnly(stage, side, material, i === materials.length - 1);
      renderer.render(stage.scene, camera);
    });
  }
  if (stage.compare === "one") return;
  const x = stage.compare === "wipe" ? panes[1].clip[0] : panes[1].area.x;
  renderer.setScissor(Math.max(0, x - 1), 0, 2, panes[0].h);
  renderer.setClearColor(stage.compare === "wipe" ? 0xf2f2f2 : 0x626262);
  renderer.clear();
  renderer.setScissorTest(false);
}

/** The camera as a pane sees through it. */
export function aim(stage, { area, h }) {
  stage.camera.setAspect(area.width / h);
  return stage.camera.three;
}

/** Lets one side be drawn, in one material. */
export function showOnly(stage, side, material, withProps) {
  for (const other of stage.loadedSides) other.group.visible = other === side;
  for (const o of side.objects) {
    o.mesh.material = material;
    for (const extra of o.mesh.children) extra.layers.set(withProps ? 0 : 1);
  }
  for (const prop of [stage.grid, stage.figure, stage.gap, stage.rays?.group, stage.trail, stage.edges]) if (prop) prop.visible = withProps;
}

/** The view as a PNG of the chosen size. */
export async function still(stage, width, height) {
  const { clientWidth, clientHeight } = stage.canvas, ratio = stage.renderer.getPixelRatio();
  try {
    stage.renderer.setPixelRatio(1);
    stage.renderer.setSize(width, height, false);
    const k = width / clientWidth;
    for (const side of stage.loadedSides) side.showLevel(side.level);
    paint(stage, stage.layout().map((p) =>
      ({ look: p.look, area: { x: p.area.x * k, width: p.area.width * k }, clip: [p.clip[0] * k, p.clip[1] * k], h: height })));
    return await new Promise((done) => stage.canvas.toBlob(done, "image/png"));
  } finally {
    stage.renderer.setPixelRatio(ratio);
    stage.renderer.setSize(clientWidth, clientHeight, false);
    stage.drawNow();
  }
}
