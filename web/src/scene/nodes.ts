import { Box3, Vector3, type Scene } from 'three';

import type { Shape } from '../state/study';
import type { LightUniforms } from './light';
import { ShapeNode, type ShapeLook } from './shapeNode';

/** The shapes of one state of the part, as they stand in a scene. */
export class Nodes {
  private readonly byId = new Map<string, ShapeNode>();

  /** under: takes reference meshes, which lie under everything else. */
  constructor(
    private readonly light: LightUniforms,
    private readonly scene: Scene,
    private readonly under: Scene,
  ) {}

  get size(): number {
    return this.byId.size;
  }

  /** What is seen, by id. */
  *visible(): Generator<[string, ShapeNode]> {
    for (const entry of this.byId) if (entry[1].group.visible) yield entry;
  }

  /** Show exactly these shapes; a node is rebuilt only when its shape is another object. */
  place(shapes: ReadonlyMap<string, Shape>, look: (id: string) => ShapeLook, width: number, height: number): void {
    for (const [id, node] of this.byId) {
      if (shapes.has(id)) continue;
      node.group.removeFromParent();
      node.dispose();
      this.byId.delete(id);
    }
    for (const [id, shape] of shapes) {
      let node = this.byId.get(id);
      if (!node) {
        node = new ShapeNode(this.light);
        this.byId.set(id, node);
        (shape.object.kind === 'mesh' ? this.under : this.scene).add(node.group);
        node.resize(width, height);
      }
      node.update(shape, look(id));
    }
  }

  resize(width: number, height: number): void {
    for (const node of this.byId.values()) node.resize(width, height);
  }

  /** Points that bound what is seen closely: its edges; else the corners of the box round it; none if nothing is. */
  outline(): Vector3[] {
    const points: Vector3[] = [];
    for (const [, node] of this.visible()) points.push(...node.outline);
    return points.length ? points : this.corners();
  }

  /** Corners of the box round all that is seen; none when there is nothing. */
  corners(): Vector3[] {
    const whole = new Box3();
    for (const [, node] of this.visible()) whole.union(node.box);
    if (whole.isEmpty()) return [];
    const { min, max } = whole;
    return [min.x, max.x].flatMap((x) => [min.y, max.y].flatMap((y) => [min.z, max.z].map((z) => new Vector3(x, y, z))));
  }

  dispose(): void {
    for (const node of this.byId.values()) node.dispose();
  }
}
