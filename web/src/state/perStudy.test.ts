import { expect, it } from 'vitest';

import { freshStudy } from './perStudy';
import { useCompare } from './compare';
import { useStudy } from './study';
import { useTools } from './tools';
import { useView } from './view';

it('begins a study with nothing of the last one but what the window keeps', () => {
  const stores = [useStudy, useTools, useCompare] as const;
  const before = stores.map((s) => JSON.stringify(s.getInitialState()));
  useStudy.setState({ version: 9, gone: 'It is gone.' });
  useTools.setState({ mirror: 'x', falloff: 40, cvsOf: ['crown'] });
  useCompare.setState({ mode: 'side' });
  useView.setState({ plane: { axis: 'z', offset: 12, step: 'plane' }, isolated: ['crown'], swapped: true, buildOrder: 'role' });
  freshStudy();
  expect(stores.map((s) => JSON.stringify(s.getState()))).toEqual(before);
  expect(useView.getState()).toMatchObject({ plane: { axis: 'auto', offset: 0, step: null }, isolated: null, swapped: true, buildOrder: 'role' });
});
