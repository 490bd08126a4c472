import { Button } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';

import { signOut } from '../../api/people';
import { useWho } from './who';

/** Who is signed in, and the way out; nothing where nobody is asked. */
export function SignedIn() {
  const queries = useQueryClient();
  const who = useWho(null).data;
  const leave = useMutation({ mutationFn: signOut, onSuccess: () => queries.resetQueries() });
  if (!who?.name) return null;
  return (
    <div className="signed-in">
      <span className="quiet">
        {who.name}
        {who.admin && ', administrator'}
      </span>
      <Button size="compact-xs" variant="default" loading={leave.isPending} onClick={() => leave.mutate()}>
        Sign out
      </Button>
    </div>
  );
}
