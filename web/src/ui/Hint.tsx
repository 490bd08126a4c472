import { ActionIcon } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import { useState } from 'react';

const NEVER = 'pamble.no-hints';

/** One quiet line that says what to try first; once it was put away, none comes again. */
export function Hint({ text }: { text: string }) {
  const [gone, setGone] = useState(() => localStorage.getItem(NEVER) !== null);
  if (gone || !text) return null;
  const away = () => {
    localStorage.setItem(NEVER, '1');
    setGone(true);
  };
  return (
    <div className="paper hint" role="note">
      {text}
      <ActionIcon variant="subtle" color="gray" size="sm" aria-label="Put this line away for good" title="Put this line away for good" onClick={away}>
        <IconX size={14} />
      </ActionIcon>
    </div>
  );
}
