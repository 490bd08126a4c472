import { Button } from '@mantine/core';

import { dropDraft, keepDraft } from '../../state/drafts';
import { useTools } from '../../state/tools';

/** Keep or drop the step in work. */
export function DraftKeys({ ready }: { ready: boolean }) {
  const drop = () => {
    dropDraft();
    useTools.setState({ tool: null });
  };
  return (
    <div className="keys">
      <Button size="xs" disabled={!ready} onClick={() => void keepDraft()}>
        Keep
      </Button>
      <Button size="xs" variant="default" onClick={drop}>
        Drop
      </Button>
    </div>
  );
}
