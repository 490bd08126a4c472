import type { ToolInfo } from '../api/types';
import told from '../generated/tools.json';
import { useCatalog } from './catalog';

/** The tools as the server tells them. */
export const loadTools = (): void => useCatalog.setState({ tools: new Map((told as unknown as ToolInfo[]).map((t) => [t.kind, t])) });
