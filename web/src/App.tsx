import { useSyncExternalStore } from 'react';

import { studyInAddress, watchAddress } from './address';
import { StudyList } from './ui/studies/StudyList';
import { Workspace } from './ui/Workspace';

export function App() {
  const id = useSyncExternalStore(watchAddress, studyInAddress);
  return id ? <Workspace key={id} id={id} /> : <StudyList />;
}
