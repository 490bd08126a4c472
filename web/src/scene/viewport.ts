import { Box3, Color, Raycaster, Scene, Vector3, WebGLRenderer } from 'three';

import type { Shape } from '../state/study';
import { View, type ViewName } from './camera';
import { lightUniforms } from './light';
import { Pictures } from './pictures';
import { ShapeNode, type ShapeLook } from './shapeNode';

export interface FaceHit {
  id: string;
  point: Vector3;
  u: number;
  v: number;
  normal: Vector3;
}

/** Fractions of the screen covered by panels. */
export interface Free {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

/** The drawing of the part. Draws on demand only; knows shapes and looks, no rules of the job. */
export class Viewport {
  readonly view: View;
  readonly light = lightUniforms();
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  /** Ground, pictures and reference meshes: drawn first, then covered by everything else whatever lies in front. */
  private readonly under = new Scene();
  readonly pictures = new Pictures(() => this.request());
  private readonly nodes = new Map<string, ShapeNode>();
  private readonly listeners = new Set<() => void>();
  private readonly observer: ResizeObserver;
  private waiting = false;
  private fitted = false;
  free: Free = { left: 0, right: 0, top: 0, bottom: 0 };
  /** Counts drawings: overlays read it to follow. */
  revision = 0;

  constructor(readonly host: HTMLElement) {
    this.renderer = new WebGLRenderer({ antialias: true, powerPreference: 'high-performance' });
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    this.renderer.domElement.className = 'part-canvas';
    host.appendChild(this.renderer.domElement);
    this.view = new View(() => this.request());
    this.under.add(this.pictures.group);
    this.renderer.autoClear = false;
    this.observer = new ResizeObserver(() => this.resize());
    this.observer.observe(host);
    this.resize();
  }

  private resize(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    this.renderer.setSize(w, h);
    this.view.resize(w, h);
    for (const node of this.nodes.values()) node.resize(w, h);
  }

  setGround(colour: string): void {
    this.under.background = new Color(colour);
    this.request();
  }

  /** Show exactly these shapes; a node is rebuilt only when its shape is another object. */
  setShapes(shapes: ReadonlyMap<string, Shape>, look: (id: string) => ShapeLook): void {
    for (const [id, node] of this.nodes) {
      if (!shapes.has(id)) {
        node.group.removeFromParent();
        node.dispose();
        this.nodes.delete(id);
      }
    }
    for (const [id, shape] of shapes) {
      let node = this.nodes.get(id);
      if (!node) {
        node = new ShapeNode(this.light);
        this.nodes.set(id, node);
        (shape.object.kind === 'mesh' ? this.under : this.scene).add(node.group);
        node.resize(this.view.width, this.view.height);
      }
      node.update(shape, look(id));
    }
    if (!this.fitted && shapes.size) {
      this.fitted = true;
      this.fit(true);
    }
    this.request();
  }

  /** Corners of the box round all that is visible; none when there is nothing. */
  extent(): Vector3[] {
    const whole = new Box3();
    for (const node of this.nodes.values()) if (node.group.visible) whole.union(node.box);
    if (whole.isEmpty()) return [];
    const out: Vector3[] = [];
    for (const x of [whole.min.x, whole.max.x])
      for (const y of [whole.min.y, whole.max.y]) for (const z of [whole.min.z, whole.max.z]) out.push(new Vector3(x, y, z));
    return out;
  }

  /** Keep the view as it is when the first shape appears. */
  leaveView(): void {
    this.fitted = true;
  }

  fit(now = false): void {
    this.view.fit(this.outline(), this.free, now);
  }

  /** Points that bound the visible shapes closely: their edges. */
  private outline(): Vector3[] {
    const points: Vector3[] = [];
    for (const node of this.nodes.values()) if (node.group.visible) points.push(...node.outline);
    return points.length ? points : this.extent();
  }

  look(name: ViewName): void {
    this.view.look(name);
    setTimeout(() => this.fit(), 280);
  }

  lookAgainst(normal: Vector3): void {
    this.view.lookAgainst(normal);
    setTimeout(() => this.fit(), 280);
  }

  flyTo(point: readonly number[], across: number): void {
    this.view.flyTo(new Vector3(point[0], point[1], point[2]), across, this.free);
  }

  request(): void {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame((now) => {
      this.waiting = false;
      const moving = this.view.advance(now);
      this.light.toEye.value.copy(this.view.toEye);
      this.renderer.clear();
      this.renderer.render(this.under, this.view.camera);
      this.renderer.clearDepth();
      this.renderer.render(this.scene, this.view.camera);
      this.revision++;
      if (this.nodes.size) this.host.dataset.drawn = 'true';
      for (const listener of this.listeners) listener();
      if (moving) this.request();
    });
  }

  /** Call back after every drawing. */
  onDrawn(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** The nearest visible face under a pixel; a reference or a ghost only where there is nothing else. */
  faceAt(x: number, y: number): FaceHit | null {
    const ray = this.ray(x, y);
    return this.nearestHit(ray, false) ?? this.nearestHit(ray, true);
  }

  private nearestHit(ray: Raycaster, reference: boolean): FaceHit | null {
    let best: FaceHit | null = null;
    let nearest = Infinity;
    for (const [id, node] of this.nodes) {
      if (!node.group.visible || (node.reference || node.ghost) !== reference) continue;
      const hit = node.intersect(ray);
      if (hit && hit.distance < nearest) {
        nearest = hit.distance;
        best = { id, point: hit.point, u: hit.u, v: hit.v, normal: hit.normal };
      }
    }
    return best;
  }

  private ray(x: number, y: number): Raycaster {
    const { width, height, camera, toEye } = this.view;
    const at = new Vector3((x / width) * 2 - 1, 1 - (y / height) * 2, 0).unproject(camera);
    return new Raycaster(at.addScaledVector(toEye, 1e5), toEye.clone().negate());
  }

  /** The line nearest to a pixel and the place on it, as drawn. Lines of references are not among them. */
  lineAt(x: number, y: number, reach: number, without: string | null): { feature: string; edge: string; at: Vector3 } | null {
    let best: { feature: string; edge: string; at: Vector3 } | null = null;
    let least = reach;
    for (const [id, node] of this.nodes) {
      if (!node.group.visible || node.reference || node.ghost || id === without) continue;
      for (const edge of node.edges) {
        const found = nearestOnLine(edge.points, x, y, this.view);
        if (found.distance >= least) continue;
        least = found.distance;
        best = { feature: id, edge: edge.name, at: found.at };
      }
    }
    return best;
  }

  /** The edge nearest to a pixel, not hidden behind a face. */
  edgeAt(x: number, y: number, reach = 9): { feature: string; edge: string; near: [number, number, number] } | null {
    const toEye = this.view.toEye;
    const cover = this.nearestHit(this.ray(x, y), false);
    const front = cover ? cover.point.dot(toEye) : -Infinity;
    const slack = 14 * this.view.millimetresPerPixel;
    let best: { feature: string; edge: string; near: [number, number, number] } | null = null;
    let least = Infinity;
    for (const [id, node] of this.nodes) {
      if (!node.group.visible || node.ghost) continue;
      for (const edge of node.edges) {
        const found = nearestOnLine(edge.points, x, y, this.view);
        if (found.distance > reach || found.depth < front - slack) continue;
        // Of edges that coincide on screen the one that belongs to the face under the pointer is meant.
        const score = found.distance - (cover?.id === id ? 1.5 : 0);
        if (score < least) {
          least = score;
          best = { feature: id, edge: edge.name, near: [found.at.x, found.at.y, found.at.z] };
        }
      }
    }
    return best;
  }

  dispose(): void {
    this.observer.disconnect();
    for (const node of this.nodes.values()) node.dispose();
    this.pictures.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }
}

function nearestOnLine(points: Float32Array, x: number, y: number, view: View): { distance: number; depth: number; at: Vector3 } {
  const toEye = view.toEye;
  let distance = Infinity;
  let depth = 0;
  const at = new Vector3();
  let last: { x: number; y: number; d: number; p: readonly [number, number, number] } | null = null;
  for (let i = 0; i + 2 < points.length; i += 3) {
    const p = [points[i] ?? 0, points[i + 1] ?? 0, points[i + 2] ?? 0] as const;
    const s = view.project(p);
    const d = p[0] * toEye.x + p[1] * toEye.y + p[2] * toEye.z;
    if (last) {
      const [dx, dy] = [s.x - last.x, s.y - last.y];
      const t = Math.min(1, Math.max(0, ((x - last.x) * dx + (y - last.y) * dy) / Math.max(1e-9, dx * dx + dy * dy)));
      const away = Math.hypot(x - last.x - t * dx, y - last.y - t * dy);
      if (away < distance) {
        distance = away;
        depth = last.d + t * (d - last.d);
        at.set(last.p[0] + t * (p[0] - last.p[0]), last.p[1] + t * (p[1] - last.p[1]), last.p[2] + t * (p[2] - last.p[2]));
      }
    }
    last = { x: s.x, y: s.y, d, p };
  }
  return { distance, depth, at };
}
