import { Button, Progress } from '@mantine/core';
import { useEffect, useState } from 'react';

import { cancelWork, tell } from '../../state/session';
import { useStudy } from '../../state/study';
import { stopJob, useWork } from '../../state/work';

const QUICK = 400;

/** How far long work is, the study's own and that of the workers, and how to stop it. */
export function Working() {
  const progress = useStudy((s) => s.progress);
  const jobs = useWork((s) => s.underWay);
  if (progress === null && !jobs.length) return null;
  return (
    <div className="working" role="status" aria-label="Work in progress">
      {progress !== null && <Line words="Working" share={progress} stop={cancelWork} escapes />}
      {jobs.map(({ job, words }) => (
        <After key={job.id} time={QUICK}>
          <Line words={words} share={job.share} stop={() => void stopJob(job.id).catch((e: Error) => tell(e.message))} />
        </After>
      ))}
    </div>
  );
}

function Line({ words, share, stop, escapes }: { words: string; share: number; stop: () => void; escapes?: boolean }) {
  const percent = Math.round(100 * share);
  return (
    <div className="paper">
      <span>
        {words}
        {percent > 0 && `, ${percent} %`}
      </span>
      <Progress value={percent || 100} animated={percent === 0} size="sm" w={140} aria-label="Share that is done" />
      <Button size="compact-xs" variant="default" onClick={stop}>
        Stop{escapes && <kbd>Esc</kbd>}
      </Button>
    </div>
  );
}

/** What is shown only when it takes longer. */
function After({ time, children }: { time: number; children: React.ReactNode }) {
  const [shown, setShown] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setShown(true), time);
    return () => clearTimeout(timer);
  }, [time]);
  return shown ? children : null;
}
