import { DoubleSide, Group, Mesh, MeshBasicMaterial, PlaneGeometry, SRGBColorSpace, TextureLoader, Vector3 } from 'three';

export type PictureAxis = 'x' | 'y' | 'z';

/** A reference picture as it is placed. */
export interface PlacedPicture {
  id: string;
  address: string;
  axis: PictureAxis;
  offset: number;
  corner: readonly [number, number];
  /** Extent in mm. */
  size: readonly [number, number];
  fade: number;
}

/** Directions to the right and up of a picture that is looked at in a true view. */
export const FRAMES: Record<PictureAxis, [right: Vector3, up: Vector3]> = {
  x: [new Vector3(0, 1, 0), new Vector3(0, 0, 1)],
  y: [new Vector3(1, 0, 0), new Vector3(0, 0, 1)],
  z: [new Vector3(1, 0, 0), new Vector3(0, 1, 0)],
};

interface Shown {
  mesh: Mesh<PlaneGeometry, MeshBasicMaterial>;
  address: string;
}

/** Reference pictures: drawn behind everything, never pointed at. */
export class Pictures {
  readonly group = new Group();
  private readonly shown = new Map<string, Shown>();
  private readonly loader = new TextureLoader();

  constructor(private readonly changed: () => void) {
    this.group.renderOrder = -1;
  }

  set(pictures: readonly PlacedPicture[]): void {
    for (const [id, { mesh }] of this.shown) {
      if (pictures.some((p) => p.id === id)) continue;
      this.drop(id, mesh);
    }
    for (const p of pictures) this.place(p);
    this.changed();
  }

  private place(p: PlacedPicture): void {
    let now = this.shown.get(p.id);
    if (now?.address !== p.address) {
      if (now) this.drop(p.id, now.mesh);
      const material = new MeshBasicMaterial({ transparent: true, depthWrite: false, side: DoubleSide });
      const mesh = new Mesh(new PlaneGeometry(1, 1), material);
      mesh.renderOrder = -1;
      mesh.visible = false;
      this.loader.load(p.address, (texture) => {
        texture.colorSpace = SRGBColorSpace;
        material.map = texture;
        material.needsUpdate = true;
        mesh.visible = true;
        this.changed();
      });
      now = { mesh, address: p.address };
      this.shown.set(p.id, now);
      this.group.add(mesh);
    }
    const [right, up] = FRAMES[p.axis];
    const normal = right.clone().cross(up);
    const { mesh } = now;
    mesh.matrixAutoUpdate = false;
    const middle = right.clone().multiplyScalar(p.corner[0] + p.size[0] / 2).addScaledVector(up, p.corner[1] + p.size[1] / 2);
    middle[p.axis] = p.offset;
    mesh.matrix.makeBasis(right.clone().multiplyScalar(p.size[0]), up.clone().multiplyScalar(p.size[1]), normal).setPosition(middle);
    mesh.matrixWorldNeedsUpdate = true;
    mesh.material.opacity = 1 - p.fade;
  }

  /** Corners of all pictures that are shown. */
  corners(): Vector3[] {
    return [...this.shown.values()].flatMap(({ mesh }) => [-0.5, 0.5].flatMap((x) => [-0.5, 0.5].map((y) => new Vector3(x, y, 0).applyMatrix4(mesh.matrix))));
  }

  private drop(id: string, mesh: Mesh<PlaneGeometry, MeshBasicMaterial>): void {
    this.group.remove(mesh);
    mesh.geometry.dispose();
    mesh.material.map?.dispose();
    mesh.material.dispose();
    this.shown.delete(id);
  }

  dispose(): void {
    for (const [id, { mesh }] of this.shown) this.drop(id, mesh);
  }
}
