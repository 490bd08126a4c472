import { useEffect } from 'react';

import { keepThumbnail } from '../../api/rest';
import type { Viewport } from '../../scene/viewport';
import { useStudy } from '../../state/study';
import { draftNow } from '../../state/tools';

/** How long the part must rest before its picture is taken, in ms. */
const REST = 2500;
const [WIDTH, HEIGHT] = [320, 200];

/** Keeps a small picture of the part for the list of studies, after every change, once it rests. */
export function Thumbnail({ viewport }: { viewport: Viewport }): null {
  const id = useStudy((s) => s.id);
  const version = useStudy((s) => s.version);
  const shown = useStudy((s) => s.kept.shapes.size > 0);
  useEffect(() => {
    if (!id || !shown) return;
    const timer = setTimeout(() => {
      if (draftNow() || useStudy.getState().previewing) return;
      void viewport.picture(WIDTH, HEIGHT).then((picture) => picture && keepThumbnail(id, version, picture));
    }, REST);
    return () => clearTimeout(timer);
  }, [viewport, id, version, shown]);
  return null;
}
