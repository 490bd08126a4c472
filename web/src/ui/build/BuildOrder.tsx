import { useEffect, useRef, useState, type RefObject } from 'react';

import type { FeatureSummary, StudySummary } from '../../api/types';
import { moveStep, setMarker } from '../../state/actions';

interface Props {
  study: StudySummary;
  line(feature: FeatureSummary): React.ReactNode;
}

const STEP = 'application/x-pamble-step';
const MARKER = 'application/x-pamble-marker';

/** The steps in the order of the build. Drag one to another place, or the marker to the last step that is shown. */
export function BuildOrder({ study, line }: Props) {
  const [over, setOver] = useState<string | null>(null);
  /** Whether the marker is moved by keys: it keeps the focus at its new place. */
  const held = useRef(false);
  const { features, marker } = study;
  const last = marker === null ? features.length - 1 : features.findIndex((f) => f.id === marker);
  const drop = (e: React.DragEvent, at: number) => {
    e.preventDefault();
    setOver(null);
    const step = e.dataTransfer.getData(STEP);
    if (e.dataTransfer.types.includes(MARKER)) void setMarker(features[at]?.id ?? null);
    else if (step) {
      const from = features.findIndex((f) => f.id === step);
      if (from !== at) void moveStep(step, at);
    }
  };
  return (
    <section aria-label="Steps in order" role="list">
      {features.map((f, i) => (
        <div
          key={f.id}
          className={`placed${over === f.id ? ' over' : ''}${i > last ? ' beyond' : ''}`}
          draggable
          onDragStart={(e) => e.dataTransfer.setData(STEP, f.id)}
          onDragOver={(e) => {
            e.preventDefault();
            setOver(f.id);
          }}
          onDragLeave={() => setOver(null)}
          onDrop={(e) => drop(e, i)}
        >
          {line(f)}
          {i === last && marker !== null && <MarkerItem study={study} at={i} held={held} />}
        </div>
      ))}
      {marker === null && features.length > 1 && <MarkerItem study={study} at={last} held={held} />}
    </section>
  );
}

const MarkerItem = (props: MarkerProps) => (
  <div role="listitem">
    <Marker {...props} />
  </div>
);

interface MarkerProps {
  study: StudySummary;
  at: number;
  held: RefObject<boolean>;
}

/** Up to where the part is built and shown; new steps land behind it. */
function Marker({ study, at, held }: MarkerProps) {
  const self = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (held.current) self.current?.focus();
  }, [held, at]);
  const { features } = study;
  const count = features.length;
  const move = (to: number) => {
    const step = features[to];
    if (step) void setMarker(to === count - 1 ? null : step.id);
  };
  return (
    <div
      ref={self}
      className="marker"
      role="slider"
      tabIndex={0}
      draggable
      aria-label="Marker: last step that is shown"
      aria-valuemin={1}
      aria-valuemax={count}
      aria-valuenow={at + 1}
      aria-valuetext={features[at]?.name}
      title="Drag it to the last step that is to be shown. Arrow keys move it, End shows all."
      onDragStart={(e) => {
        e.stopPropagation();
        e.dataTransfer.setData(MARKER, '1');
      }}
      onFocus={() => (held.current = true)}
      onPointerDown={() => (held.current = false)}
      onKeyDown={(e) => {
        if (e.key === 'Tab') held.current = false;
        const way = { ArrowUp: -1, ArrowDown: 1 }[e.key];
        if (way === undefined && e.key !== 'End') return;
        e.preventDefault();
        move(way === undefined ? count - 1 : at + way);
      }}
    >
      <span>{at === count - 1 ? 'all steps shown' : `${count - 1 - at} later not shown`}</span>
    </div>
  );
}
