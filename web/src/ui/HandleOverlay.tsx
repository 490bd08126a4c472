import { Vector3 } from 'three';

import type { FrameHandle } from '../api/types';
import { followPointer, travel } from '../scene/cvDrag';
import type { Viewport } from '../scene/viewport';
import { changeParams } from '../state/drafts';
import { isRef } from '../state/catalog';
import { endPreview } from '../state/session';
import { featureName, useStudy } from '../state/study';
import { useTools } from '../state/tools';

const LIMITS: [number, number] = [0.05, 4];
const clamped = (v: number) => Math.min(LIMITS[1], Math.max(LIMITS[0], v));

/** Handles of the blend in work, where its fullness acts. */
export function HandleOverlay({ viewport }: { viewport: Viewport }) {
  const { draft, selection } = useTools();
  const id = draft?.id ?? (selection?.kind === 'feature' ? selection.id : null);
  const feature = useStudy((s) => (id ? s.shown.features.get(id) : undefined));
  const stored = useStudy((s) => s.study?.features.find((f) => f.id === id)?.params);
  const params = draft?.params ?? stored;
  if (!id || !feature || !params) return null;
  return feature.handles.map((h) => {
    const side = params[h.index === 0 || h.field.endsWith('first') ? 'first' : 'second'];
    const label = `Fullness handle, ${isRef(side) ? featureName(side.feature) : ''} side`;
    const set = (value: number, final: boolean) => {
      const all = (params[h.field] as unknown[] | undefined) ?? [null, null];
      changeParams(id, { [h.field]: h.index < 0 ? clamped(value) : all.map((v, i) => (i === h.index ? clamped(value) : v)) }, final);
    };
    return <Pull key={`${h.field}${h.index}`} viewport={viewport} handle={h} label={label} set={set} draft={draft !== null} />;
  });
}

interface PullProps {
  viewport: Viewport;
  handle: FrameHandle;
  label: string;
  draft: boolean;
  set(value: number, final: boolean): void;
}

function Pull({ viewport, handle, label, set, draft }: PullProps) {
  const { view } = viewport;
  const at = view.project(handle.point);
  const back = handle.value / Math.max(1e-9, handle.per_mm);
  const root = view.project(handle.point.map((p, k) => p - (handle.direction[k] ?? 0) * back));

  const start = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    e.preventDefault();
    e.stopPropagation();
    const direction = new Vector3(...handle.direction);
    const from = new Vector3(...handle.point);
    const before = handle.value;
    let value = before;
    let last = { x: e.clientX, y: e.clientY };
    followPointer({
      move(m) {
        const fine = m.shiftKey ? 0.1 : 1;
        const by = travel(viewport, from, direction, (m.clientX - last.x) * fine, (m.clientY - last.y) * fine);
        last = { x: m.clientX, y: m.clientY };
        value = clamped(value + by.dot(direction) * handle.per_mm);
        set(value, false);
      },
      done: () => value !== before && set(value, true),
      givenUp: () => (draft ? set(before, true) : endPreview()),
    });
  };

  return (
    <>
      <svg>
        <line x1={root.x} y1={root.y} x2={at.x} y2={at.y} stroke="var(--accent)" strokeWidth="2" />
        <circle cx={root.x} cy={root.y} r="3" fill="var(--accent)" />
      </svg>
      <button
        className="handle"
        style={{ left: at.x, top: at.y }}
        role="slider"
        aria-label={label}
        aria-valuenow={Number(handle.value.toFixed(3))}
        aria-valuemin={LIMITS[0]}
        aria-valuemax={LIMITS[1]}
        title={`${label}: ${handle.value.toFixed(3)}`}
        onPointerDown={start}
        onKeyDown={(e) => {
          const way = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
          if (!way) return;
          e.preventDefault();
          set(handle.value + way * (e.shiftKey ? 0.005 : 0.05), true);
        }}
      />
    </>
  );
}
