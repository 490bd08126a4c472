import type { Vector3 } from 'three';

import type { Point } from '../api/types';
import { probe, tell } from '../state/session';
import { isCurve, useStudy } from '../state/study';
import { holeField, pickEdge, pickFeature, pickHole } from '../state/actions';
import { accepts, canEnd, placePoint, wanted, type Wanted } from '../state/placing';
import { keepDraft } from '../state/drafts';
import { regionClicked } from '../state/regions';
import { setCaught, useTools } from '../state/tools';
import { inTurn } from '../state/turns';
import { useView } from '../state/view';
import { measured } from '../state/measured';
import { placeOf, settled } from './catching';
import { holdPlane, workingPlane } from './plane';
import type { Viewport } from './viewport';

type Gesture = { kind: 'press' | 'turn' | 'pan'; x: number; y: number; button: number } | null;

const SLACK = 4;

/** Time in ms within which a second click at the same place makes a double one; pointer events do not count clicks. */
const DOUBLE = 400;

const ARROWS: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** What one press of an arrow key is worth, in pixels of the pointer's way. */
const [TURNED, PANNED] = [15, 40];

/** Pointer and wheel on the part: turn, pan, zoom, point and pick. Returns how to stop listening. */
export function listen(viewport: Viewport): () => void {
  const { host, view } = viewport;
  let gesture: Gesture = null;
  let pointing = 0;
  let last = { x: 0, y: 0, time: -Infinity };

  const place = (e: MouseEvent) => {
    const box = host.getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  };

  const down = (e: PointerEvent) => {
    if (e.target !== host.querySelector('canvas')) return;
    viewport.taken();
    (document.activeElement as HTMLElement | null)?.blur();
    gesture = { kind: 'press', ...place(e), button: e.button };
    host.setPointerCapture(e.pointerId);
  };

  const move = (e: PointerEvent) => {
    const { x, y } = place(e);
    if (!gesture) {
      if (e.buttons === 0) {
        cancelAnimationFrame(pointing);
        pointing = requestAnimationFrame(() => measured('pamble hover', () => pointAt(viewport, x, y, e.altKey)));
      }
      return;
    }
    if (gesture.kind === 'press') {
      if (Math.hypot(x - gesture.x, y - gesture.y) < SLACK) return;
      gesture.kind = gesture.button === 0 && !e.shiftKey ? 'turn' : 'pan';
      host.dataset.gesture = gesture.kind;
      useView.setState({ probe: null });
    }
    if (gesture.kind === 'turn') view.turn(x - gesture.x, y - gesture.y);
    else view.pan(x - gesture.x, y - gesture.y);
    gesture.x = x;
    gesture.y = y;
  };

  const up = (e: PointerEvent) => {
    const done = gesture;
    gesture = null;
    delete host.dataset.gesture;
    if (done?.kind !== 'press' || done.button !== 0) return;
    const double = e.timeStamp - last.time < DOUBLE && Math.hypot(done.x - last.x, done.y - last.y) < SLACK;
    last = { x: done.x, y: done.y, time: double ? -Infinity : e.timeStamp };
    click(viewport, done.x, done.y, double, e.altKey);
  };

  const wheel = (e: WheelEvent) => {
    if (!(e.target as Element).closest('.part, .overlay')) return;
    e.preventDefault();
    viewport.taken();
    const { x, y } = place(e);
    const step = e.deltaMode === 1 ? e.deltaY * 16 : e.deltaY;
    view.zoom(Math.exp(Math.max(-120, Math.min(120, step)) * (e.ctrlKey ? 0.008 : 0.0016)), x, y);
  };

  const leave = () => {
    useTools.setState({ hover: null });
    useView.setState({ probe: null });
  };

  const key = (e: KeyboardEvent) => {
    if (e.target !== host || e.ctrlKey || e.altKey) return;
    const way = ARROWS[e.key];
    const zoom = { '+': 1 / 1.15, '=': 1 / 1.15, '-': 1.15, PageUp: 1 / 1.5, PageDown: 1.5 }[e.key];
    if (way && e.shiftKey) view.pan(way[0] * PANNED, way[1] * PANNED);
    else if (way) view.turn(way[0] * TURNED, way[1] * TURNED);
    else if (zoom) view.zoom(zoom, view.width / 2, view.height / 2);
    else return;
    e.preventDefault();
  };

  // Handles and CVs lie beside the host, over the drawing: the wheel zooms there too.
  const desk = host.parentElement ?? host;
  // A click neither opens the browser's menu nor takes the focus: that is for those who come by Tab.
  const unmoved = (e: Event) => e.preventDefault();
  host.addEventListener('pointerdown', down);
  host.addEventListener('pointermove', move);
  host.addEventListener('pointerup', up);
  host.addEventListener('pointerleave', leave);
  desk.addEventListener('wheel', wheel, { passive: false });
  host.addEventListener('contextmenu', unmoved);
  host.addEventListener('mousedown', unmoved);
  host.addEventListener('keydown', key);
  return () => {
    cancelAnimationFrame(pointing);
    host.removeEventListener('pointerdown', down);
    host.removeEventListener('pointermove', move);
    host.removeEventListener('pointerup', up);
    host.removeEventListener('pointerleave', leave);
    desk.removeEventListener('wheel', wheel);
    host.removeEventListener('contextmenu', unmoved);
    host.removeEventListener('mousedown', unmoved);
    host.removeEventListener('keydown', key);
  };
}

function pointAt(viewport: Viewport, x: number, y: number, free: boolean): void {
  const { hand, dragging } = useTools.getState();
  if (dragging) return;
  const busy = hand.at !== 'idle';
  const wants = wanted();
  if (wants === 'point') {
    const caught = placeOf(viewport, x, y, free)?.caught;
    setCaught(caught ? { words: caught.words, at: [caught.at.x, caught.at.y, caught.at.z] } : null);
    return;
  }
  const edge = lineUnder(viewport, x, y, busy, wants);
  const face = viewport.faceAt(x, y);
  const hover = edge ? { feature: edge.feature, edge: edge.edge } : (face && (!busy || accepts('face')) ? { feature: face.id } : null);
  const now = useTools.getState().hover;
  if (JSON.stringify(now) !== JSON.stringify(hover)) useTools.setState({ hover });
  const onMesh = face !== null && useStudy.getState().shown.shapes.get(face.id)?.object.kind === 'mesh';
  if (useView.getState().light !== 'curvature' || !face || onMesh) {
    if (useView.getState().probe) useView.setState({ probe: null });
  } else void probe(face.id, face.u, face.v, x, y);
}

/** Put a point where the pointer is: on the working plane, or exactly where it was caught. */
function place(viewport: Viewport, x: number, y: number, free: boolean): void {
  const placed = placeOf(viewport, x, y, free);
  if (!placed) {
    tell('The working plane is seen on edge here: turn the view, or choose another plane.');
    return;
  }
  const { normal } = workingPlane(viewport);
  holdPlane(viewport);
  inTurn(async () => {
    const { point, hangsOn } = await settled(viewport, placed);
    placePoint(point, hangsOn, [normal.x, normal.y, normal.z]);
  });
}

/** The line under a pixel that a pick would take: any without a tool; of a tool that takes all sorts, curves alone. */
function lineUnder(viewport: Viewport, x: number, y: number, busy: boolean, wants: Wanted | null) {
  if (busy && !accepts('line')) return null;
  // Where a click into a hole counts too, its edges do not reach far into it.
  const edge = viewport.edgeAt(x, y, wants === 'line' && !holeField() ? 16 : 7);
  const shape = edge && useStudy.getState().shown.shapes.get(edge.feature);
  if (wants === 'any' && !(shape && isCurve(shape))) return null;
  return edge;
}

/** Take the hole under a pixel; through it a face farther back may be seen. */
function lookInto(viewport: Viewport, x: number, y: number, behind: Vector3 | null): void {
  const { view } = viewport;
  inTurn(() => pickHole(view.under(x, y).toArray(), view.toEye.toArray(), behind?.toArray() ?? null));
}

function click(viewport: Viewport, x: number, y: number, double: boolean, free: boolean): void {
  const busy = useTools.getState().hand.at !== 'idle';
  const wants = wanted();
  if (wants === 'point') {
    if (double && canEnd()) void keepDraft();
    else place(viewport, x, y, free);
    return;
  }
  const edge = lineUnder(viewport, x, y, busy, wants);
  const face = viewport.faceAt(x, y);
  if (busy) {
    if (edge) pickEdge(edge);
    else if (face && regionClicked(face)) return;
    else if (holeField()) lookInto(viewport, x, y, face?.point ?? null);
    else if (face) pickFeature(face.id);
    return;
  }
  if (edge) {
    const shape = useStudy.getState().kept.shapes.get(edge.feature);
    const whole = shape && isCurve(shape) && shape.edges.length === 1;
    useTools.setState({ selection: whole ? { kind: 'feature', id: edge.feature } : { kind: 'edge', id: edge.feature, edge: edge.edge } });
    return;
  }
  const normal: Point | null = face ? [face.normal.x, face.normal.y, face.normal.z] : null;
  useTools.setState({ selection: face ? { kind: 'feature', id: face.id } : null, pickedNormal: normal });
  if (face && double) viewport.flyTo(face.point.toArray(), 120);
}
