import { Button } from '@mantine/core';

import { dropDraft, keepDraft } from '../../state/drafts';

/** Keep or drop the step in work. */
export function DraftKeys({ ready }: { ready: boolean }) {
  return (
    <div className="keys">
      <Button size="xs" disabled={!ready} onClick={() => void keepDraft()}>
        Keep
      </Button>
      <Button size="xs" variant="default" onClick={dropDraft}>
        Drop
      </Button>
    </div>
  );
}
