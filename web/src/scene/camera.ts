import { Matrix4, OrthographicCamera, Quaternion, Vector3 } from 'three';

export type ViewName = 'front' | 'back' | 'left' | 'right' | 'top' | 'bottom' | 'three-quarter';

const TURNS: Record<ViewName, [yaw: number, pitch: number]> = {
  front: [0, 0],
  back: [180, 0],
  right: [90, 0],
  left: [-90, 0],
  top: [0, 90],
  bottom: [0, -90],
  'three-quarter': [32, 26],
};

/** Length of a glide in ms; who wants less motion gets none. */
const GLIDE = 260;
const still = (): boolean => typeof matchMedia === 'function' && matchMedia('(prefers-reduced-motion: reduce)').matches;

interface Pose {
  target: Vector3;
  yaw: number;
  pitch: number;
  /** Millimetres from the middle of the screen to its upper edge. */
  reach: number;
}

/** A parallel view: lengths across the screen are true. Turns about the upright axis, with z up. */
export class View {
  readonly camera = new OrthographicCamera(-1, 1, 1, -1, -1e5, 1e5);
  private pose: Pose = { target: new Vector3(), yaw: 32, pitch: 26, reach: 200 };
  private goal: { from: Pose; to: Pose; start: number } | null = null;
  width = 1;
  height = 1;

  constructor(private readonly changed: () => void) {
    this.apply();
  }

  resize(width: number, height: number): void {
    this.width = Math.max(1, width);
    this.height = Math.max(1, height);
    this.apply();
  }

  get millimetresPerPixel(): number {
    return (2 * this.pose.reach) / this.height;
  }

  get right(): Vector3 {
    return new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0);
  }

  get up(): Vector3 {
    return new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 1);
  }

  /** Direction from the part to the eye. */
  get toEye(): Vector3 {
    return new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 2);
  }

  /** The place under a pixel on the plane that is drawn. */
  under(x: number, y: number): Vector3 {
    return new Vector3((x / this.width) * 2 - 1, 1 - (y / this.height) * 2, 0).unproject(this.camera);
  }

  turn(dx: number, dy: number): void {
    this.goal = null;
    this.pose.yaw -= dx * 0.35;
    this.pose.pitch = Math.min(90, Math.max(-90, this.pose.pitch + dy * 0.35));
    this.apply();
  }

  pan(dx: number, dy: number): void {
    this.goal = null;
    const mm = this.millimetresPerPixel;
    this.pose.target.addScaledVector(this.right, -dx * mm).addScaledVector(this.up, dy * mm);
    this.apply();
  }

  /** Zoom so that the point under the pointer stays where it is. */
  zoom(factor: number, x: number, y: number): void {
    this.goal = null;
    const before = this.millimetresPerPixel;
    this.pose.reach = Math.min(20000, Math.max(0.2, this.pose.reach * factor));
    const change = before - this.millimetresPerPixel;
    this.pose.target
      .addScaledVector(this.right, (x - this.width / 2) * change)
      .addScaledVector(this.up, -(y - this.height / 2) * change);
    this.apply();
  }

  look(name: ViewName): void {
    const [yaw, pitch] = TURNS[name];
    this.glide({ ...this.pose, target: this.pose.target.clone(), yaw, pitch });
  }

  /** Look against a direction that points out of the part: what is square to it is seen true. */
  lookAgainst(normal: Vector3): void {
    const d = normal.clone().normalize();
    const pitch = (Math.asin(Math.min(1, Math.max(-1, d.z))) * 180) / Math.PI;
    // Looking straight down or up, any turn is true: the one at hand is kept.
    const yaw = Math.abs(pitch) > 89.9 ? this.pose.yaw : (Math.atan2(d.x, -d.y) * 180) / Math.PI;
    this.glide({ ...this.pose, target: this.pose.target.clone(), yaw, pitch });
  }

  /** Bring a box, given by its corners, into the free part of the screen (fractions of its size). */
  fit(points: Vector3[], free: { left: number; right: number; top: number; bottom: number }, now = false): void {
    if (!points.length) return;
    const right = this.right;
    const up = this.up;
    const xs = points.map((p) => p.dot(right));
    const ys = points.map((p) => p.dot(up));
    const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
    const wide = Math.max(0.2, 1 - free.left - free.right) * this.width;
    const tall = Math.max(0.2, 1 - free.top - free.bottom) * this.height;
    const mm = Math.max((x1 - x0) / wide, (y1 - y0) / tall, 1e-3) * 1.08;
    const depth = this.toEye;
    const middle = points.reduce((sum, p) => sum + p.dot(depth), 0) / points.length;
    const offsetX = ((free.left - free.right) / 2) * this.width * mm;
    const offsetY = ((free.bottom - free.top) / 2) * this.height * mm;
    const target = new Vector3()
      .addScaledVector(right, (x0 + x1) / 2 - offsetX)
      .addScaledVector(up, (y0 + y1) / 2 - offsetY)
      .addScaledVector(depth, middle);
    const to = { ...this.pose, target, reach: (mm * this.height) / 2 };
    if (now) {
      this.pose = to;
      this.apply();
    } else this.glide(to);
  }

  /** Bring a point to the middle of the free part of the screen, `across` mm filling it. */
  flyTo(point: Vector3, across: number, free: { left: number; right: number; top: number; bottom: number }): void {
    const reach = Math.min(this.pose.reach, across / 2);
    const mm = (2 * reach) / this.height;
    const target = point
      .clone()
      .addScaledVector(this.right, -((free.left - free.right) / 2) * this.width * mm)
      .addScaledVector(this.up, -((free.bottom - free.top) / 2) * this.height * mm);
    this.glide({ ...this.pose, target, reach });
  }

  private glide(to: Pose): void {
    const from = { ...this.pose, target: this.pose.target.clone() };
    from.yaw = to.yaw + ((((from.yaw - to.yaw + 180) % 360) + 360) % 360) - 180;
    this.goal = { from, to, start: performance.now() };
    this.changed();
  }

  /** Advance a glide; true while it goes on. */
  advance(now: number): boolean {
    if (!this.goal) return false;
    const { from, to, start } = this.goal;
    const t = still() ? 1 : Math.min(1, Math.max(0, (now - start) / GLIDE));
    const s = t * t * (3 - 2 * t);
    this.pose = {
      target: from.target.clone().lerp(to.target, s),
      yaw: from.yaw + (to.yaw - from.yaw) * s,
      pitch: from.pitch + (to.pitch - from.pitch) * s,
      reach: from.reach * (to.reach / from.reach) ** s,
    };
    if (t >= 1) this.goal = null;
    this.place();
    return t < 1;
  }

  private apply(): void {
    this.place();
    this.changed();
  }

  private place(): void {
    const { target, yaw, pitch, reach } = this.pose;
    const turn = new Quaternion().setFromAxisAngle(new Vector3(0, 0, 1), (yaw * Math.PI) / 180);
    const tip = new Quaternion().setFromAxisAngle(new Vector3(1, 0, 0), ((90 - pitch) * Math.PI) / 180);
    const matrix = new Matrix4().makeRotationFromQuaternion(turn.multiply(tip));
    matrix.setPosition(target);
    this.camera.matrixAutoUpdate = false;
    this.camera.matrix.copy(matrix);
    this.camera.matrixWorldNeedsUpdate = true;
    const wide = reach * (this.width / this.height);
    Object.assign(this.camera, { left: -wide, right: wide, top: reach, bottom: -reach });
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld(true);
  }

  /** How places in space come onto the screen: three factors and a shift for x in pixels, then the same for y. */
  get affine(): readonly [number, number, number, number, number, number, number, number] {
    const m = new Matrix4().multiplyMatrices(this.camera.projectionMatrix, this.camera.matrixWorldInverse).elements;
    const [w, h] = [this.width / 2, this.height / 2];
    return [w * m[0], w * m[4], w * m[8], w * (m[12] + 1), -h * m[1], -h * m[5], -h * m[9], h * (1 - m[13])];
  }

  /** Screen position of a point in space, in pixels from the upper left. */
  project(point: readonly number[]): { x: number; y: number; depth: number } {
    const p = new Vector3(point[0], point[1], point[2]).project(this.camera);
    return { x: ((p.x + 1) / 2) * this.width, y: ((1 - p.y) / 2) * this.height, depth: p.z };
  }
}
