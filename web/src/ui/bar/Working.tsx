import { Button, Progress } from '@mantine/core';

import { cancelWork } from '../../state/session';
import { useStudy } from '../../state/study';

/** How far long work is, and how to stop it. */
export function Working() {
  const progress = useStudy((s) => s.progress);
  if (progress === null) return null;
  const share = Math.round(100 * progress);
  return (
    <div className="paper working" role="status" aria-label="Work in progress">
      <span>Working, {share} %</span>
      <Progress value={share} size="sm" w={140} aria-label="Share that is done" />
      <Button size="compact-xs" variant="default" onClick={cancelWork}>
        Stop<kbd>Esc</kbd>
      </Button>
    </div>
  );
}
