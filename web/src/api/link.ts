import { readFrame, type Frame } from './frame';
import type { ClientMessage, CombsHeader, CombWanted, FrameHeader, LightsHeader, LightsWanted, Located, NamedId, Op, Point, Probed, ServerMessage, StudyState, Traced, WaysTold } from './types';

type Unsent = ClientMessage extends infer M ? (M extends { seq: number } ? Omit<M, 'seq'> : never) : never;

export interface LinkEvents {
  combsWanted(): CombWanted[];
  /** The lights whose lines are shown, to follow along; null while there are none. */
  lightsWanted(): LightsWanted | null;
  /** Steps whose figures are shown. */
  watched(): string[];
  state(state: StudyState, frame: Frame<FrameHeader>): void;
  preview(frame: Frame<FrameHeader>): void;
  combs(frame: Frame<CombsHeader>): void;
  lights(frame: Frame<LightsHeader>): void;
  /** Other ways to make a step, as they are built. */
  ways(told: WaysTold): void;
  progress(share: number | null): void;
  failed(message: string, code: string, wasPreview: boolean): void;
  connected(yes: boolean): void;
  /** The study cannot be opened: the words why. Nothing is tried again. */
  gone(message: string): void;
}

interface Waiting {
  resolve(message: ServerMessage | null): void;
  reject(error: Error): void;
}

const LOST = 'The connection to the server was lost: look whether this step is there before you do it again.';
const OFFLINE = 'There is no connection to the server at the moment: nothing was changed. It is tried again.';
/** What ends a window: the study is gone, or no longer open to who looks. */
const ENDS = ['study', 'missing', 'sign-in'];
/** Time in ms after which a preview counts as lost and the next one is sent. */
const PREVIEW_LIMIT = 15000;
/** Time in ms without a new intent after which the pointer is taken to rest: what was left out for speed follows then. */
const RESTS = 120;
/** Time in ms from which a preview counts as long work, whose progress is told. */
const LONG = 500;

/**
 * The live socket of one study. One preview is in flight at a time; while it is, only the latest intent is kept. One asked
 * for at rest may take long: it holds up nothing, the next message stops it.
 */
export class Link {
  private socket: WebSocket | null = null;
  private seq = 0;
  private version = 0;
  private state: StudyState | null = null;
  private waiting = new Map<number, Waiting>();
  private peeks = new Map<number, (frame: Frame<FrameHeader>) => void>();
  private previewSent: { seq: number; at: number; op: Op } | null = null;
  private previewNext: Op | null = null;
  private closed = false;
  private retries = 0;
  private previewsOff = false;
  private last: Promise<unknown> = Promise.resolve();
  private overdue: ReturnType<typeof setTimeout> | undefined;
  private rests: ReturnType<typeof setTimeout> | undefined;
  private restSent: { seq: number; at: number } | null = null;
  /** Round trips of previews in ms, newest last: read by the benchmark. */
  readonly roundTrips: number[] = [];

  constructor(
    private readonly study: string,
    private readonly events: LinkEvents,
  ) {
    this.connect();
  }

  private connect(): void {
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws';
    const socket = new WebSocket(`${scheme}://${location.host}/api/studies/${this.study}/live`);
    socket.binaryType = 'arraybuffer';
    socket.onmessage = (event) => this.receive(event.data as string | ArrayBuffer);
    socket.onclose = () => this.lost(socket);
    this.socket = socket;
  }

  private lost(socket: WebSocket): void {
    if (socket !== this.socket) return;
    clearTimeout(this.overdue);
    clearTimeout(this.rests);
    this.previewSent = this.previewNext = this.restSent = null;
    for (const w of this.waiting.values()) w.reject(new Error(LOST));
    this.waiting.clear();
    this.events.progress(null);
    if (this.closed) return;
    this.events.connected(false);
    const wait = Math.min(4000, 300 * 2 ** this.retries++);
    setTimeout(() => !this.closed && this.connect(), wait);
  }

  private receive(data: string | ArrayBuffer): void {
    if (typeof data === 'string') {
      this.receiveMessage(JSON.parse(data) as ServerMessage);
      return;
    }
    const frame = readFrame(data);
    if (frame.header.type === 'combs') {
      this.events.combs(frame as Frame<CombsHeader>);
      if (frame.header.seq != null) this.settle(frame.header.seq, null);
    } else if (frame.header.type === 'lights') {
      this.events.lights(frame as Frame<LightsHeader>);
      if (frame.header.seq != null) this.settle(frame.header.seq, null);
    } else if (frame.header.preview && this.peeks.has(frame.header.seq ?? -1)) {
      this.peeks.get(frame.header.seq ?? -1)?.(frame as Frame<FrameHeader>);
      this.settle(frame.header.seq ?? -1, null);
    } else if (frame.header.preview) {
      const wanted = !this.previewsOff;
      if (wanted) this.events.preview(frame as Frame<FrameHeader>);
      this.previewAnswered(frame.header.seq, frame.header.late);
    } else if (this.state) {
      this.events.state(this.state, frame as Frame<FrameHeader>);
      const { seq, by, window } = this.state;
      if (seq != null && by === window) this.settle(seq, this.state);
    }
  }

  private receiveMessage(message: ServerMessage): void {
    switch (message.type) {
      case 'state':
        if (message.reason === 'opened') {
          this.retries = 0;
          this.events.connected(true);
        }
        this.state = message;
        this.version = message.version;
        return;
      case 'progress':
        if (this.waiting.size || this.previewIsLong()) this.events.progress(message.share);
        return;
      case 'ways':
        this.events.ways(message);
        return;
      case 'error':
        this.receiveError(message.message, message.code, message.seq ?? null);
        return;
      case 'passed':
        if (message.seq === this.previewSent?.seq || message.seq === this.restSent?.seq) this.previewAnswered(message.seq);
        else this.settle(message.seq, message);
        return;
      default:
        this.settle(message.seq, message);
    }
  }

  private receiveError(words: string, code: string, seq: number | null): void {
    if (seq === null) {
      // Not the answer to anything: the study itself cannot be opened.
      this.closed = ENDS.includes(code);
      if (this.closed) this.events.gone(words);
      else this.events.failed(words, code, false);
      return;
    }
    if (seq === this.previewSent?.seq || seq === this.restSent?.seq) {
      if (!this.previewsOff) this.events.failed(words, code, true);
      this.previewAnswered(seq);
      return;
    }
    const waiting = this.waiting.get(seq);
    this.done(seq);
    this.events.failed(words, code, false);
    waiting?.reject(new Error(words));
  }

  private settle(seq: number, message: ServerMessage | null): void {
    const waiting = this.waiting.get(seq);
    this.done(seq);
    waiting?.resolve(message);
  }

  private done(seq: number): void {
    this.waiting.delete(seq);
    if (!this.waiting.size) this.events.progress(null);
  }

  private send(message: Unsent): number {
    const seq = ++this.seq;
    this.socket?.send(JSON.stringify({ ...message, seq }));
    return seq;
  }

  private get open(): boolean {
    return this.socket?.readyState === WebSocket.OPEN && this.state !== null;
  }

  /** Show what an operation would make. */
  preview(op: Op): void {
    if (!this.open) return;
    this.previewsOff = false;
    if (this.previewSent) {
      this.previewNext = op;
      return;
    }
    clearTimeout(this.rests);
    const seq = this.sendPreview(op, false);
    this.previewSent = { seq, at: performance.now(), op };
    clearTimeout(this.overdue);
    this.overdue = setTimeout(() => this.previewAnswered(seq), PREVIEW_LIMIT);
  }

  private askAtRest(op: Op): void {
    this.restSent = { seq: this.sendPreview(op, true), at: performance.now() };
  }

  private sendPreview(op: Op, rest: boolean): number {
    const { combsWanted, lightsWanted, watched } = this.events;
    return this.send({ type: 'preview', op, rest, combs: combsWanted(), lights: lightsWanted(), watched: watched() });
  }

  /** What an operation would make, for one who asks: nothing is shown. */
  async peek(op: Op): Promise<Frame<FrameHeader>> {
    let found: Frame<FrameHeader> | null = null;
    const seq = this.seq + 1;
    this.peeks.set(seq, (frame) => (found = frame));
    const overdue = setTimeout(() => this.settle(seq, null), PREVIEW_LIMIT);
    try {
      await this.request({ type: 'preview', op, rest: true, combs: [], lights: null, watched: [] });
    } finally {
      clearTimeout(overdue);
      this.peeks.delete(seq);
    }
    if (!found) throw new Error('No answer came, or another change came in between: ask again.');
    return found;
  }

  /** Forget previews on their way: what they show is no longer wanted. */
  dropPreviews(): void {
    clearTimeout(this.rests);
    this.previewNext = null;
    this.previewsOff = true;
    if (!this.waiting.size) this.events.progress(null);
  }

  private previewIsLong(): boolean {
    const { previewSent, restSent, previewsOff } = this;
    return !previewsOff && [previewSent, restSent].some((sent) => sent !== null && performance.now() - sent.at > LONG);
  }

  private previewAnswered(seq: number | null, late = false): void {
    if (seq === this.restSent?.seq) this.restSent = null;
    if (!this.waiting.size) this.events.progress(null);
    if (!this.previewSent || seq !== this.previewSent.seq) return;
    clearTimeout(this.overdue);
    this.roundTrips.push(performance.now() - this.previewSent.at);
    const { op } = this.previewSent;
    this.previewSent = null;
    const next = this.previewNext;
    this.previewNext = null;
    if (next) this.preview(next);
    else if (late && !this.previewsOff) this.rests = setTimeout(() => this.askAtRest(op), RESTS);
  }

  private request(message: Unsent): Promise<ServerMessage | null> {
    if (!this.open) {
      this.events.failed(OFFLINE, 'offline', false);
      return Promise.reject(new Error(OFFLINE));
    }
    const seq = this.send(message);
    return new Promise((resolve, reject) => this.waiting.set(seq, { resolve, reject }));
  }

  /** Apply an operation for good; resolves when it is stored. */
  commit(op: Op): Promise<ServerMessage | null> {
    this.dropPreviews();
    return this.afterLast(() => this.request({ type: 'commit', base: this.version, op }));
  }

  step(type: 'undo' | 'redo'): Promise<ServerMessage | null> {
    this.dropPreviews();
    return this.afterLast(() => this.request({ type, base: this.version }));
  }

  /** Stop long work; what is in work then fails, and nothing has changed. */
  cancel(): void {
    if (this.open) this.send({ type: 'cancel' });
  }

  /** Changes go one by one, each on top of the version that the last one made. */
  private afterLast(change: () => Promise<ServerMessage | null>): Promise<ServerMessage | null> {
    const next = this.last.then(change, change);
    this.last = next.catch(() => undefined);
    return next;
  }

  async probe(id: string, u: number, v: number): Promise<Probed> {
    return (await this.request({ type: 'probe', id, u, v })) as Probed;
  }

  async why(key: string): Promise<Traced> {
    return (await this.request({ type: 'why', key })) as Traced;
  }

  async round(id: string, edge: string): Promise<{ feature: string; edge: string }[]> {
    const answer = await this.request({ type: 'round', id, edge });
    return answer?.type === 'rounded' ? answer.edges : [];
  }

  /** Round the hole that one looks into through a point, along a way to the eye. behind: what is seen through it. */
  async holeUnder(point: Point, way: Point, behind: Point | null): Promise<{ feature: string; edge: string }[]> {
    const answer = await this.request({ type: 'hole', point, way, behind });
    return answer?.type === 'rounded' ? answer.edges : [];
  }

  /** The faces along the crease through an edge, and those within so many millimetres of its ends. */
  async aboutCrease(id: string, edge: string, within: number): Promise<string[]> {
    const answer = await this.request({ type: 'crease', id, edge, within });
    return answer?.type === 'about' ? answer.faces : [];
  }

  async locate(id: string, edge: string | null, point: Point): Promise<Located> {
    return (await this.request({ type: 'locate', id, edge, point })) as Located;
  }

  async dependents(ids: string[]): Promise<NamedId[]> {
    const answer = await this.request({ type: 'dependents', ids });
    return answer?.type === 'dependents' ? answer.items : [];
  }

  /** Have the other ways to make a step built; whatever is asked for next stops it. */
  ways(id: string): void {
    if (this.open && !this.previewSent) this.send({ type: 'ways', id });
  }

  combs(combs: CombWanted[]): void {
    if (this.open) this.send({ type: 'combs', combs });
  }

  lights(lights: LightsWanted): void {
    if (this.open) this.send({ type: 'lights', lights });
  }

  /** Lose the connection, as a bad line would; it is tried again. */
  drop(): void {
    this.socket?.close();
  }

  close(): void {
    this.closed = true;
    clearTimeout(this.overdue);
    this.socket?.close();
  }
}
