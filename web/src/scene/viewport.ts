import { Color, Raycaster, Scene, Vector3, WebGLRenderer } from 'three';

import type { Shape } from '../state/study';
import { View, type ViewName } from './camera';
import { lightUniforms } from './light';
import { Nodes } from './nodes';
import { nearestOnLine } from './pickLine';
import { Pictures } from './pictures';
import type { ShapeLook } from './shapeNode';

export interface FaceHit {
  id: string;
  point: Vector3;
  u: number;
  v: number;
  normal: Vector3;
}

/** How another state is seen: left of a line at a share of the width, or in the left half. */
export interface Beside {
  side: boolean;
  at: number;
}

/** Time in ms in which panels find their size after the first shape. */
const SETTLING = 1500;

const TOUCHES = ['pointerdown', 'wheel', 'keydown'] as const;

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
  private readonly nodes = new Nodes(this.light, this.scene, this.under);
  /** Another state of the part, seen beside this one. */
  private readonly otherScene = new Scene();
  private readonly otherNodes = new Nodes(this.light, this.otherScene, this.under);
  private beside: Beside | null = null;
  private readonly listeners = new Set<() => void>();
  private readonly observer: ResizeObserver;
  private waiting = false;
  private fitted = false;
  free: Free = { left: 0, right: 0, top: 0, bottom: 0 };
  /** Until when a part that was just shown is still brought into the room that panels leave it; then the view is the user's. */
  private settling = 0;
  /** Whether nothing was pointed at and no key struck since then: what comes late finds its room too. */
  private untouched = false;
  private readonly touch = () => {
    this.untouched = false;
  };
  /** Counts drawings: overlays read it to follow. */
  revision = 0;

  /** blind: told why nothing can be drawn, and null when it can again. */
  constructor(
    readonly host: HTMLElement,
    blind: (why: string | null) => void,
  ) {
    this.renderer = new WebGLRenderer({ antialias: true, powerPreference: 'high-performance' });
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    this.renderer.domElement.className = 'part-canvas';
    host.appendChild(this.renderer.domElement);
    const canvas = this.renderer.domElement;
    canvas.addEventListener('webglcontextlost', (e) => {
      e.preventDefault();
      blind('the graphics of this machine were lost. They are waited for; if they do not come back, load the page again.');
    });
    canvas.addEventListener('webglcontextrestored', () => {
      blind(null);
      this.request();
    });
    this.view = new View(() => this.request());
    this.under.add(this.pictures.group);
    this.renderer.autoClear = false;
    this.observer = new ResizeObserver(() => this.resize());
    this.observer.observe(host);
    for (const kind of TOUCHES) addEventListener(kind, this.touch, true);
    this.resize();
  }

  private resize(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    this.renderer.setSize(w, h);
    this.view.resize(w, h);
    this.nodes.resize(w, h);
    this.otherNodes.resize(w, h);
  }

  setGround(colour: string): void {
    this.under.background = new Color(colour);
    this.request();
  }

  /** Show exactly these shapes; a node is rebuilt only when its shape is another object. */
  setShapes(shapes: ReadonlyMap<string, Shape>, look: (id: string) => ShapeLook): void {
    this.nodes.place(shapes, look, this.view.width, this.view.height);
    if (!this.fitted && shapes.size) {
      this.fitted = true;
      this.settling = performance.now() + SETTLING;
      this.untouched = true;
      this.fit(true);
    }
    this.request();
  }

  /** Show another state of the part beside this one, under the same light and camera; null for this one alone. */
  setOther(shapes: ReadonlyMap<string, Shape>, look: (id: string) => ShapeLook, beside: Beside | null): void {
    this.otherNodes.place(shapes, look, this.view.width, this.view.height);
    this.beside = beside;
    this.request();
  }

  /** Tell how much of the screen panels cover. */
  leave(free: Free): void {
    this.free = free;
    if (performance.now() < this.settling || this.untouched) this.fit(true);
  }

  /** The view was taken in hand: nothing moves it by itself from now on. */
  taken(): void {
    this.settling = 0;
  }

  /** Corners of the box round all that is visible; none when there is nothing. */
  extent(): Vector3[] {
    return this.nodes.corners();
  }

  /** Keep the view as it is when the first shape appears. */
  leaveView(): void {
    this.fitted = true;
  }

  fit(now = false): void {
    this.view.fit([...this.nodes.outline(), ...this.pictures.corners()], this.free, now);
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

  /** A small picture of what is drawn, the free part of it filling the frame. */
  picture(width: number, height: number): Promise<Blob | null> {
    const canvas = this.renderer.domElement;
    const ratio = canvas.width / Math.max(1, this.view.width);
    const { left, right, top, bottom } = this.free;
    const [w, h] = [canvas.width * (1 - left - right), canvas.height * (1 - top - bottom)];
    const scale = Math.min(width / w, height / h);
    const small = document.createElement('canvas');
    Object.assign(small, { width, height });
    const pen = small.getContext('2d');
    if (!pen || !this.nodes.size || ratio <= 0) return Promise.resolve(null);
    // What was drawn is gone once the browser has shown it: it is drawn again and taken at once.
    this.draw();
    const [sw, sh] = [width / scale, height / scale];
    pen.drawImage(canvas, canvas.width * left + (w - sw) / 2, canvas.height * top + (h - sh) / 2, sw, sh, 0, 0, width, height);
    return new Promise((resolve) => small.toBlob(resolve, 'image/webp', 0.85));
  }

  private draw(): void {
    this.light.toEye.value.copy(this.view.toEye);
    const { width: w, height: h, camera } = this.view;
    if (!this.beside) {
      this.drawScene(this.scene);
      return;
    }
    const line = Math.round(w * (this.beside.side ? 0.5 : this.beside.at));
    this.renderer.setScissorTest(true);
    for (const [scene, left, wide] of [[this.otherScene, 0, line], [this.scene, line, w - line]] as const) {
      this.renderer.setScissor(left, 0, wide, h);
      if (this.beside.side) {
        // Both halves show the middle half of what the whole would.
        camera.setViewOffset(w, h, w / 4, 0, w / 2, h);
        this.renderer.setViewport(left, 0, wide, h);
      }
      this.drawScene(scene);
    }
    if (camera.view) camera.clearViewOffset();
    this.renderer.setViewport(0, 0, w, h);
    this.renderer.setScissorTest(false);
  }

  private drawScene(scene: Scene): void {
    this.renderer.clear();
    this.renderer.render(this.under, this.view.camera);
    this.renderer.clearDepth();
    this.renderer.render(scene, this.view.camera);
  }

  request(): void {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame((now) => {
      this.waiting = false;
      const moving = this.view.advance(now);
      this.draw();
      this.revision++;
      if (this.nodes.size && !this.host.dataset.drawn) {
        this.host.dataset.drawn = 'true';
        performance.mark('pamble drawn');
      }
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
    for (const [id, node] of this.nodes.visible()) {
      if ((node.reference || node.ghost) !== reference) continue;
      const hit = node.intersect(ray);
      if (hit && hit.distance < nearest) {
        nearest = hit.distance;
        best = { id, point: hit.point, u: hit.u, v: hit.v, normal: hit.normal };
      }
    }
    return best;
  }

  private ray(x: number, y: number): Raycaster {
    const { toEye } = this.view;
    return new Raycaster(this.view.under(x, y).addScaledVector(toEye, 1e5), toEye.clone().negate());
  }

  /** The line nearest to a pixel and the place on it, as drawn. Lines of references are not among them. */
  lineAt(x: number, y: number, reach: number, without: string | null): { feature: string; edge: string; at: Vector3 } | null {
    let best: { feature: string; edge: string; at: Vector3 } | null = null;
    let least = reach;
    for (const [id, node] of this.nodes.visible()) {
      if (node.reference || node.ghost || id === without) continue;
      for (const edge of node.edges) {
        if (!edge.mayBeNear(this.view, x, y, reach)) continue;
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
    for (const [id, node] of this.nodes.visible()) {
      if (node.ghost) continue;
      for (const edge of node.edges) {
        if (!edge.mayBeNear(this.view, x, y, reach)) continue;
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
    for (const kind of TOUCHES) removeEventListener(kind, this.touch, true);
    this.nodes.dispose();
    this.otherNodes.dispose();
    this.pictures.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }
}
