import { Button } from '@mantine/core';
import { useEffect, useState } from 'react';

import type { Params, Point } from '../../api/types';
import { FRAMES, type PictureAxis } from '../../scene/pictures';
import { fieldBy } from '../../state/catalog';
import { changeParams } from '../../state/drafts';
import { IDLE } from '../../state/hand';
import { hold, useTools } from '../../state/tools';
import { useView } from '../../state/view';
import { ExpressionField } from './ExpressionField';

/** No more points are placed. */
const leave = (): void => {
  if (useTools.getState().hand.at === 'measuring') hold(IDLE);
};

/** Scale and place a picture by two points on it whose distance is known: the first point stays where it is. */
export function PictureScale({ id, kind, params }: { id: string; kind: string; params: Params }) {
  const field = fieldBy(kind, 'picture scale')?.name ?? '';
  const points = useTools(({ hand }) => (hand.at === 'measuring' ? hand.points : null));
  const [distance, setDistance] = useState(100);
  const axis = params.axis as PictureAxis;
  const offset = params.offset as number;
  const measuring = points !== null;
  useEffect(() => leave, [id]);
  useEffect(() => {
    if (!measuring) return;
    // Points are clicked on the picture; afterwards the working plane is the one it was.
    const { plane } = useView.getState();
    useView.setState({ plane: { axis, offset, step: null } });
    return () => {
      useView.setState({ plane });
    };
  }, [measuring, axis, offset]);

  const begin = () => hold({ at: 'measuring', points: [] });
  const [a, b] = points ?? [];
  const apply = () => {
    if (!a || !b) return;
    const [right, up] = FRAMES[axis];
    const flat = (p: Point) => [p[0] * right.x + p[1] * right.y + p[2] * right.z, p[0] * up.x + p[1] * up.y + p[2] * up.z] as const;
    const [p, q] = [flat(a), flat(b)];
    const factor = distance / Math.max(1e-9, Math.hypot(q[0] - p[0], q[1] - p[1]));
    const corner = params.corner as [number, number];
    const moved = [0, 1].map((k) => (p[k] ?? 0) + ((corner[k] ?? 0) - (p[k] ?? 0)) * factor);
    changeParams(id, { [field]: (params[field] as number) * factor, corner: moved }, true);
    leave();
  };

  if (!points)
    return (
      <div className="keys">
        <Button size="xs" variant="default" onClick={begin}>
          Scale by two points
        </Button>
      </div>
    );
  return (
    <div role="group" aria-label="Scale by two points">
      <div className="row">
        <span className="asked">{points.length < 2 ? `Click the ${points.length ? 'second' : 'first'} known point` : 'Their true distance'}</span>
        {points.length === 2 && <ExpressionField label="True distance" unit="mm" value={distance} onChange={(v) => typeof v === 'number' && setDistance(v)} />}
      </div>
      <div className="keys">
        <Button size="xs" disabled={points.length < 2 || distance <= 0} onClick={apply}>
          Scale
        </Button>
        <Button size="xs" variant="default" onClick={leave}>
          Leave it
        </Button>
      </div>
    </div>
  );
}
