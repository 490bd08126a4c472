import { Button, PasswordInput, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';

import { signIn } from '../../api/people';
import { Logo } from '../bar/TopBar';

/** Asked of who reaches Pamble from another machine. */
export function SignInPage() {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const enter = useMutation({ mutationFn: () => signIn(name, password), onSuccess: () => queries.invalidateQueries() });
  return (
    <div className="listing">
      <main className="sign-in">
        <Logo />
        <form
          className="paper"
          onSubmit={(e) => {
            e.preventDefault();
            enter.mutate();
          }}
        >
          <h1>Sign in</h1>
          <TextInput label="Name" autoComplete="username" autoFocus value={name} maxLength={64} onChange={(e) => setName(e.currentTarget.value)} />
          <PasswordInput label="Password" autoComplete="current-password" value={password} onChange={(e) => setPassword(e.currentTarget.value)} />
          {enter.error && (
            <p role="alert" className="note bad">
              ▲ {enter.error.message}
            </p>
          )}
          <Button type="submit" fullWidth loading={enter.isPending} disabled={!name.trim() || !password}>
            Sign in
          </Button>
          <p className="quiet">Accounts are made by who keeps this Pamble.</p>
        </form>
      </main>
    </div>
  );
}
