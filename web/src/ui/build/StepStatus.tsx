import type { FrameFeature } from '../../api/types';

type Status = FrameFeature['status'];

const WORDS: Record<Status, string> = {
  fresh: 'up to date',
  behind: 'waits, last good shape',
  failed: 'failed',
  lost: 'asks for something that is gone',
  off: 'switched off',
  beyond: 'behind the marker',
};

const MARKS: Record<Status, string> = { fresh: '', behind: '◷', failed: '▲', lost: '?', off: '○', beyond: '' };

/** The state of a step as a sign with its word. */
export function StepStatus({ status }: { status: Status }) {
  if (!MARKS[status]) return null;
  return (
    <span className={`status ${status}`} role="img" aria-label={WORDS[status]} title={WORDS[status]}>
      {MARKS[status]}
    </span>
  );
}
