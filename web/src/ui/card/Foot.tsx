import { Button } from '@mantine/core';
import type { ReactNode } from 'react';

import type { FrameFeature } from '../../api/types';
import { changeParams } from '../../state/drafts';
import { Remedies } from './Remedies';

interface Props {
  id: string;
  state: FrameFeature | undefined;
  words: string | null;
  children: ReactNode;
}

/** What a step has to say, always in sight: its warnings, what would mend it, what is wrong; then its keys. */
export function Foot({ id, state, words, children }: Props) {
  const offer = state?.offer;
  return (
    <div className="foot">
      <div className="notes">
        {state?.warnings.map((w) => (
          <div className="note" key={w}>
            {w}
          </div>
        ))}
        <Remedies id={id} facts={state?.facts} />
        {words && <div className="note bad">▲ {words}</div>}
        {offer && (
          <Button size="xs" variant="light" mt={8} onClick={() => changeParams(id, offer.changes, true)}>
            {offer.label}
          </Button>
        )}
      </div>
      {children}
    </div>
  );
}
