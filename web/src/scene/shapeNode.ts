import { Box3, BufferAttribute, BufferGeometry, Color, DoubleSide, Group, InterleavedBuffer, InterleavedBufferAttribute, Mesh, Sphere, Vector3, type Raycaster, type ShaderMaterial } from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';

import { MeshBVH } from 'three-mesh-bvh';

import type { Shape } from '../state/study';
import { shapeMaterial, type LightUniforms } from './light';
import { PickLine } from './pickLine';

const ROW = 10;

/** About as many points of a shape are enough to bring it into view. */
const OUTLINED = 2000;

/** How a shape is to be drawn. */
export interface ShapeLook {
  tint: string;
  ink: string;
  accent: string;
  visible: boolean;
  /** Whether the shape is pointed at or picked: 0 to 1. */
  lift: number;
  /** Names of edges to be drawn strong. */
  strongEdges: readonly string[];
  /** Light lines on it: straight pieces of two points each. */
  lit?: Float32Array | undefined;
  /** Drawn faintly: a shape as it was before the step in work. */
  ghost?: boolean;
}

export interface Hit {
  distance: number;
  point: Vector3;
  normal: Vector3;
  u: number;
  v: number;
}

/** A shape on the screen: its faces, its edges, its span boundaries. */
export class ShapeNode {
  readonly group = new Group();
  readonly box = new Box3();
  edges: PickLine[] = [];
  outline: Vector3[] = [];
  /** A scan or styling model: it lies under everything else and is pointed at last. */
  reference = false;
  /** A shape as it was before the step in work: pointed at last, never measured. */
  ghost = false;
  private shape: Shape | null = null;
  private readonly mesh: Mesh<BufferGeometry, ShaderMaterial>;
  private readonly lines = new LineSegments2(new LineSegmentsGeometry(), new LineMaterial({ linewidth: 1.3 }));
  private readonly isoLines = new LineSegments2(
    new LineSegmentsGeometry(),
    new LineMaterial({ linewidth: 0.8, transparent: true, opacity: 0.35 }),
  );
  private readonly strong = new LineSegments2(new LineSegmentsGeometry(), new LineMaterial({ linewidth: 4, polygonOffset: true, polygonOffsetFactor: -4, polygonOffsetUnits: -8 }));
  /** A curve that stands alone shows faintly through what lies before it. */
  private readonly through = new LineSegments2(
    new LineSegmentsGeometry(),
    new LineMaterial({ linewidth: 1.6, transparent: true, opacity: 0.4, depthTest: false }),
  );
  private readonly lit = new LineSegments2(new LineSegmentsGeometry(), new LineMaterial({ linewidth: 1.7, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -4 }));
  private rows = new InterleavedBuffer(new Float32Array(0), ROW);
  private litBy: Float32Array | undefined = undefined;
  private strongNames = '';
  private tree: MeshBVH | null = null;

  constructor(light: LightUniforms) {
    this.mesh = new Mesh(new BufferGeometry(), shapeMaterial(light));
    this.mesh.frustumCulled = this.lines.frustumCulled = this.strong.frustumCulled = this.isoLines.frustumCulled = false;
    this.through.frustumCulled = this.lit.frustumCulled = this.lit.visible = false;
    this.strong.renderOrder = 2;
    this.through.renderOrder = 3;
    this.group.add(this.mesh, this.lines, this.isoLines, this.strong, this.through, this.lit);
  }

  resize(width: number, height: number): void {
    for (const l of [this.lines, this.isoLines, this.strong, this.through, this.lit]) l.material.resolution.set(width, height);
  }

  update(shape: Shape, look: ShapeLook): void {
    const fresh = shape !== this.shape;
    this.reference = shape.object.kind === 'mesh';
    if (fresh) this.setShape(shape);
    const names = look.strongEdges.join(' ');
    if (fresh || names !== this.strongNames) {
      this.strongNames = names;
      const chosen = shape.edges.filter((e) => look.strongEdges.includes(e.name));
      this.strong.visible = setSegments(this.strong, chosen.map((e) => e.points));
    }
    if (look.lit !== this.litBy) {
      this.litBy = look.lit;
      this.lit.visible = setPieces(this.lit, look.lit ?? new Float32Array(0));
    }
    this.group.visible = look.visible;
    const { uniforms } = this.mesh.material;
    (uniforms.tint?.value as Color).set(look.tint).convertLinearToSRGB();
    if (uniforms.lift) uniforms.lift.value = look.lift;
    this.ghost = look.ghost ?? false;
    if (uniforms.ghost) uniforms.ghost.value = this.ghost ? 1 : 0;
    this.mesh.material.polygonOffsetFactor = this.ghost ? 6 : 1.5;
    this.isoLines.visible &&= !this.ghost;
    this.lit.material.color.set(look.ink);
    // A curve that stands alone is drawn in its role's tint; the edges of a face in ink.
    const alone = shape.object.kind === 'curves';
    this.lines.material.color.set(alone ? look.tint : look.ink);
    this.lines.material.linewidth = alone ? 2.4 : 1.3;
    this.through.material.color.set(look.strongEdges.length ? look.accent : look.tint);
    this.isoLines.material.color.set(look.ink);
    this.strong.material.color.set(look.accent);
  }

  private setShape(shape: Shape): void {
    const { grid } = shape.object;
    const { vertices } = shape;
    const count = vertices.length / ROW;
    const sameSize = this.shape !== null && sameGrid(this.shape, shape);
    this.shape = shape;
    this.tree = null;
    this.edges = shape.edges.map((e) => new PickLine(e.name, e.points));
    if (sameSize) {
      // The rows of the frame are what is drawn: nothing is taken apart or copied.
      this.rows.array = vertices;
      this.rows.needsUpdate = true;
    } else {
      this.rows = new InterleavedBuffer(vertices, ROW);
      const geometry = new BufferGeometry();
      geometry.setAttribute('position', new InterleavedBufferAttribute(this.rows, 3, 0));
      geometry.setAttribute('normal', new InterleavedBufferAttribute(this.rows, 3, 3));
      geometry.setAttribute('bend', new InterleavedBufferAttribute(this.rows, 2, 6));
      geometry.setIndex(new BufferAttribute(grid ? gridTriangles(grid) : new Uint32Array(shape.triangles ?? []), 1));
      this.mesh.geometry.dispose();
      this.mesh.geometry = geometry;
    }
    bound(this.box, vertices);
    // Known already, it is not sought through all rows again at the first drawing.
    this.mesh.geometry.boundingSphere = this.box.getBoundingSphere(new Sphere());
    this.lines.visible = setSegments(this.lines, shape.edges.map((e) => e.points));
    this.isoLines.visible = setSegments(this.isoLines, shape.isos);
    this.through.visible = shape.object.kind === 'curves' && setSegments(this.through, shape.edges.map((e) => e.points));
    this.outline = [];
    const step = ROW * Math.max(7, Math.floor(count / OUTLINED));
    for (let o = 0; o < vertices.length; o += step) this.outline.push(new Vector3().fromArray(vertices, o));
    for (const { points } of shape.edges) for (let i = 0; i + 2 < points.length; i += 3) this.box.expandByPoint(new Vector3(points[i], points[i + 1], points[i + 2]));
    for (const { points } of shape.edges)
      for (let i = 0; i + 2 < points.length; i += 9) this.outline.push(new Vector3(points[i], points[i + 1], points[i + 2]));
  }

  /** Nearest hit of a ray, with surface parameters and the true normal blended from the triangle's corners. */
  intersect(ray: Raycaster): Hit | null {
    const { geometry } = this.mesh;
    if (!geometry.getIndex()?.count) return null;
    // The tree is built when a face is first pointed at, and goes with its geometry: during a drag nothing is pointed at.
    this.tree ??= new MeshBVH(geometry, { indirect: true });
    const found = this.tree.raycastFirst(ray.ray, DoubleSide);
    const shape = this.shape;
    if (!found?.face || !shape) return null;
    const { a, b, c } = found.face;
    const at = (i: number, k: number) => shape.vertices[i * ROW + k] ?? 0;
    const corner = (i: number) => new Vector3(at(i, 0), at(i, 1), at(i, 2));
    const [pa, pb, pc] = [corner(a), corner(b), corner(c)];
    const area = new Vector3().crossVectors(pb.clone().sub(pa), pc.clone().sub(pa));
    const weight = (p: Vector3, q: Vector3) =>
      new Vector3().crossVectors(p.clone().sub(found.point), q.clone().sub(found.point)).dot(area) / Math.max(1e-20, area.lengthSq());
    const [wa, wb, wc] = [weight(pb, pc), weight(pc, pa), weight(pa, pb)];
    const mix = (k: number) => wa * at(a, k) + wb * at(b, k) + wc * at(c, k);
    const normal = new Vector3(mix(3), mix(4), mix(5)).normalize();
    return { distance: found.distance, point: found.point, normal, u: mix(8), v: mix(9) };
  }

  dispose(): void {
    for (const object of [this.mesh, this.lines, this.isoLines, this.strong, this.through, this.lit]) {
      object.geometry.dispose();
      object.material.dispose();
    }
  }
}

/** The box round the points of rows. */
function bound(box: Box3, rows: Float32Array): void {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let o = 0; o < rows.length; o += ROW)
    for (let k = 0; k < 3; k++) {
      const v = rows[o + k] as number;
      if (v < (low[k] as number)) low[k] = v;
      if (v > (high[k] as number)) high[k] = v;
    }
  box.min.fromArray(low);
  box.max.fromArray(high);
}

const sameGrid = (a: Shape, b: Shape): boolean =>
  a.object.grid !== null && b.object.grid !== null && a.object.grid.join() === b.object.grid.join();

function gridTriangles([nu, nv]: readonly number[]): Uint32Array {
  const [rows, columns] = [nu ?? 0, nv ?? 0];
  const out = new Uint32Array(Math.max(0, (rows - 1) * (columns - 1) * 6));
  let k = 0;
  for (let i = 0; i + 1 < rows; i++) {
    for (let j = 0; j + 1 < columns; j++) {
      const a = i * columns + j;
      out.set([a, a + columns, a + 1, a + 1, a + columns, a + columns + 1], k);
      k += 6;
    }
  }
  return out;
}

/** Replace the segments of a line object; false if there are none. */
function setSegments(object: LineSegments2, lines: Float32Array[]): boolean {
  const count = lines.reduce((sum, l) => sum + Math.max(0, l.length / 3 - 1), 0);
  if (!count) return false;
  const segments = new Float32Array(count * 6);
  let k = 0;
  for (const line of lines) {
    for (let i = 0; i + 5 < line.length; i += 3) {
      segments.set(line.subarray(i, i + 6), k);
      k += 6;
    }
  }
  return setPieces(object, segments);
}

/** Replace the straight pieces of a line object, two points each; false if there are none. */
function setPieces(object: LineSegments2, pieces: Float32Array): boolean {
  object.geometry.dispose();
  const geometry = new LineSegmentsGeometry();
  if (pieces.length) geometry.setPositions(pieces);
  object.geometry = geometry;
  return pieces.length > 0;
}
