import { useSyncExternalStore } from 'react';

import { studyInAddress, watchAddress } from './address';
import { SignInPage } from './ui/people/SignInPage';
import { useWho } from './ui/people/who';
import { StudyList } from './ui/studies/StudyList';
import { Workspace } from './ui/Workspace';

export function App() {
  const id = useSyncExternalStore(watchAddress, studyInAddress);
  const who = useWho(id);
  if (who.isPending) return null;
  // Who has a link sees its study; where it cannot be told who one is, what is asked for next says why.
  if (who.data?.needed && !who.data.name && (id === null || !who.data.role)) return <SignInPage />;
  return id ? <Workspace key={id} id={id} /> : <StudyList />;
}
