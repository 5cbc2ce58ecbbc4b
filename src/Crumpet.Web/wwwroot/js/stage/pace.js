// How much detail is drawn while the view moves: as much as the machine has time for.
const slowFrame = 40, quickFrame = 22, startTriangles = 400_000;
/** Level at which everything is drawn. */
export const full = 2;

export class Pace {
  level = full;
  ceiling = full;
  slow = 0;
  quick = 0;

  /** Dense sides begin coarse: what is moved first must not find out the hard way how slow the machine is. */
  begin(triangles) {
    if (triangles > startTriangles) this.level = 0;
  }

  /** Two slow frames: less detail while moving, for good. A dozen quick ones: more. @param milliseconds a frame took */
  took(milliseconds) {
    this.slow = milliseconds > slowFrame ? this.slow + 1 : 0;
    this.quick = milliseconds < quickFrame ? this.quick + 1 : 0;
    if (this.slow > 1 && this.level > 0) [this.level, this.ceiling, this.slow] = [this.level - 1, this.level - 1, 0];
    if (this.quick > 11 && this.level < this.ceiling) [this.level, this.quick] = [this.level + 1, 0];
  }
}
