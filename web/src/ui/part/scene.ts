import { useEffect } from 'react';

import { kindOf, modeOf } from '../../scene/light';
import { pictureAddress } from '../../api/rest';
import type { PictureAxis, PlacedPicture } from '../../scene/pictures';
import type { ShapeLook } from '../../scene/shapeNode';
import type { Viewport } from '../../scene/viewport';
import type { EdgeRef } from '../../api/types';
import { useCompare } from '../../state/compare';
import { isRef, toolOf } from '../../state/catalog';
import { isShown } from '../../state/actions';
import { GHOST } from '../../state/regions';
import { stepOf, useStudy, type Shape } from '../../state/study';
import { draftOf, useTools } from '../../state/tools';
import { useView, type CurvatureKind } from '../../state/view';
import type { Palette } from '../../theme';

/** The figure that the curvature light shows, from largest and smallest curvature in 1/mm. */
export function curvatureFigure(kind: CurvatureKind, large: number, small: number): number {
  if (kind === 'gauss') return large * small;
  if (kind === 'mean') return (large + small) / 2;
  if (kind === 'largest') return large;
  if (kind === 'smallest') return small;
  return 1 / Math.max(Math.abs(large), Math.abs(small), 1e-9);
}

/** Range that holds all but the outermost 2 % of the shown values; for signed figures zero is in its middle. */
export function fittedRange(shapes: Iterable<Shape>, kind: CurvatureKind): [number, number] {
  const values: number[] = [];
  for (const { vertices } of shapes)
    for (let o = 0; o < vertices.length; o += 30)
      values.push(curvatureFigure(kind, vertices[o + 6] ?? 0, vertices[o + 7] ?? 0));
  if (!values.length) return [-1, 1];
  values.sort((a, b) => a - b);
  const at = (share: number) => values[Math.round(share * (values.length - 1))] ?? 0;
  if (kind !== 'radius') {
    const reach = Math.max(Math.abs(at(0.02)), Math.abs(at(0.98)), 1e-6);
    return [-reach, reach];
  }
  const low = at(0.02);
  return [low, Math.max(low + 1e-3, Math.min(at(0.98), 10000))];
}

/** A curve that is picked is drawn strong as a whole. */
const wholeCurves = (shape: Shape | undefined, picked: boolean): string[] =>
  picked && shape?.object.kind === 'curves' ? shape.edges.map((e) => e.name) : [];

/** What a step in work changes, also as it was: what is cut away can be seen and picked. */
function withGhosts(shown: ReadonlyMap<string, Shape>, before: ReadonlyMap<string, Shape>, changed: readonly string[] | undefined): ReadonlyMap<string, Shape> {
  if (!changed?.length) return shown;
  const out = new Map(shown);
  for (const id of changed) {
    const shape = before.get(id);
    if (shape) out.set(GHOST + id, shape);
  }
  return out;
}

interface PictureParams {
  asset: string;
  width: number;
  height: number;
  axis: PictureAxis;
  offset: number;
  corner: [number, number];
  mm_per_pixel: number;
  fade: number;
}

const placed = (study: string, id: string, p: PictureParams): PlacedPicture => ({
  id,
  address: pictureAddress(study, p.asset),
  axis: p.axis,
  offset: p.offset,
  corner: p.corner,
  size: [p.width * p.mm_per_pixel, p.height * p.mm_per_pixel],
  fade: p.fade,
});

const NO_SHAPES: ReadonlyMap<string, Shape> = new Map();

/** Keeps the drawing in step with the state; alone in following every preview, so that panels need not. */
export function Scene({ viewport, palette }: { viewport: Viewport; palette: Palette }): null {
  const { shown, kept: before, study, lights } = useStudy();
  const { hover, selection } = useTools();
  const draft = useTools(draftOf);
  const { light, zebra, curvature, isolated, activeSeam } = useView();

  useEffect(() => {
    const seam = shown.seams.find((s) => s.key === activeSeam);
    const inputs = Object.values(draft?.params ?? {}).flat().filter((v): v is EdgeRef => isRef(v) && Boolean(v.edge));
    const pointedAt = hover && !('edge' in hover) ? hover.feature : null;
    const strong = (id: string): string[] => [
      ...inputs.filter((p) => p.feature === id).map((p) => p.edge),
      ...(hover && 'edge' in hover && hover.feature === id ? [hover.edge] : []),
      ...(selection?.kind === 'edge' && selection.id === id ? [selection.edge] : []),
      ...(seam?.a.feature === id && !draft ? [seam.a.edge] : []),
      ...wholeCurves(shown.shapes.get(id), (selection?.kind === 'feature' && selection.id === id) || pointedAt === id || draft?.id === id),
    ];
    const look = (id: string): ShapeLook => {
      const ghost = id.startsWith(GHOST);
      const object = ghost ? id.slice(GHOST.length) : id;
      const feature = study?.features.find((f) => f.id === stepOf(object));
      const pointed = hover && !('edge' in hover) && hover.feature === id;
      const picked = selection?.kind === 'feature' && (selection.id === id || selection.id === stepOf(id)) && light === 'clay';
      return {
        tint: palette.roles[feature?.role ?? draft?.role ?? 'secondary'] ?? '#ccc',
        ink: palette.ink,
        accent: palette.accent,
        visible: feature ? isShown(feature, isolated) : true,
        lift: picked ? 0.1 : pointed && light === 'clay' ? 0.06 : 0,
        strongEdges: ghost ? [] : strong(id),
        lit: ghost ? undefined : lights.shown.get(id),
        ghost,
      };
    };
    // What a hand draws into an empty study is not brought into view: that would move the hand. A file that is taken in is.
    if (draft && !before.shapes.size) viewport.leaveView();
    viewport.setShapes(withGhosts(shown.shapes, before.shapes, draft ? shown.features.get(draft.id)?.changes : undefined), look);
  }, [viewport, shown, before, study, lights, hover, selection, draft, isolated, activeSeam, light, palette]);

  const { mode, other, at } = useCompare();
  useEffect(() => {
    const look = (id: string): ShapeLook => {
      const feature = study?.features.find((f) => f.id === stepOf(id));
      const visible = feature ? isShown(feature, isolated) : true;
      return { tint: palette.roles[feature?.role ?? 'secondary'] ?? '#ccc', ink: palette.ink, accent: palette.accent, visible, lift: 0, strongEdges: [] };
    };
    const shapes = mode === 'off' || !other ? NO_SHAPES : other.picture.shapes;
    viewport.setOther(shapes, look, mode === 'off' || !other ? null : { side: mode === 'side', at });
  }, [viewport, mode, other, at, study, isolated, palette]);

  useEffect(() => {
    const u = viewport.light;
    const angle = (zebra.direction * Math.PI) / 180;
    u.mode.value = modeOf(light);
    u.fixedToPart.value = zebra.fixedTo === 'part' ? 1 : 0;
    u.bands.value = zebra.bands;
    u.axis.value.set(Math.cos(angle), Math.sin(angle));
    u.kind.value = kindOf(curvature.kind);
    u.range.value.set(curvature.low, curvature.high);
    viewport.request();
  }, [viewport, light, zebra, curvature]);

  const { pictures } = useView();
  const id = useStudy((s) => s.id);
  useEffect(() => {
    const features = (pictures ? study?.features : undefined) ?? [];
    viewport.pictures.set(
      features
        .filter((f) => toolOf(f.kind)?.makes === 'picture' && f.on && isShown(f, isolated))
        .map((f) => placed(id ?? '', f.id, f.params as unknown as PictureParams)),
    );
  }, [viewport, study, isolated, pictures, id]);

  const { kind, fitted } = curvature;
  const { kept } = useStudy();
  useEffect(() => {
    if (light !== 'curvature' || !fitted) return;
    const visible = [...kept.shapes.values()].filter((s) => {
      const f = study?.features.find((x) => x.id === stepOf(s.id));
      return f ? isShown(f, isolated) : true;
    });
    const [low, high] = fittedRange(visible, kind);
    useView.setState((v) => ({ curvature: { ...v.curvature, low, high } }));
  }, [light, kind, fitted, kept, study, isolated]);
  return null;
}
