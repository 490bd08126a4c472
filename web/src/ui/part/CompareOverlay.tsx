import { followPointer } from '../../scene/cvDrag';
import { useCompare } from '../../state/compare';

const clamped = (at: number) => Math.min(0.98, Math.max(0.02, at));

/** The line that parts two states of the part, and what lies on its sides. */
export function CompareOverlay() {
  const { mode, other, at } = useCompare();
  if (mode === 'off' || !other) return null;
  const line = mode === 'side' ? 0.5 : at;
  const start = (e: React.PointerEvent) => {
    e.preventDefault();
    followPointer({
      move: (m) => useCompare.setState({ at: clamped(m.clientX / innerWidth) }),
      done: () => undefined,
      givenUp: () => useCompare.setState({ at }),
    });
  };
  return (
    <div className="overlay compare">
      <span className="tag" style={{ right: `calc(${100 - 100 * line}% + 14px)`, bottom: 'calc(var(--dock) + 26px)' }}>
        {other.name}
      </span>
      <span className="tag" style={{ left: `calc(${100 * line}% + 14px)`, bottom: 'calc(var(--dock) + 26px)' }}>
        now
      </span>
      <div
        className={mode === 'side' ? 'wipe fixed' : 'wipe'}
        style={{ left: `${100 * line}%` }}
        role="slider"
        tabIndex={mode === 'side' ? -1 : 0}
        aria-label="Line between both states"
        aria-valuemin={2}
        aria-valuemax={98}
        aria-valuenow={Math.round(100 * line)}
        onPointerDown={mode === 'side' ? undefined : start}
        onKeyDown={(e) => {
          const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
          if (by === undefined) return;
          e.preventDefault();
          useCompare.setState({ at: clamped(at + by) });
        }}
      />
    </div>
  );
}
