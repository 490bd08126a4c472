import { readFrame, type Frame } from './frame';
import type { ClientMessage, CombsHeader, CombWanted, FrameHeader, Located, NamedId, Op, Point, Probed, ServerMessage, StudyState } from './types';

type Unsent = ClientMessage extends infer M ? (M extends { seq: number } ? Omit<M, 'seq'> : never) : never;

export interface LinkEvents {
  combsWanted(): CombWanted[];
  /** Steps whose figures are shown. */
  watched(): string[];
  state(state: StudyState, frame: Frame<FrameHeader>): void;
  preview(frame: Frame<FrameHeader>): void;
  combs(frame: Frame<CombsHeader>): void;
  failed(message: string, code: string, wasPreview: boolean): void;
  connected(yes: boolean): void;
}

interface Waiting {
  resolve(message: ServerMessage): void;
  reject(error: Error): void;
}

/** The live socket of one study. One preview is in flight at a time; while it is, only the latest intent is kept. */
export class Link {
  private socket: WebSocket | null = null;
  private seq = 0;
  private version = 0;
  private state: StudyState | null = null;
  private waiting = new Map<number, Waiting>();
  private previewSent: { seq: number; at: number } | null = null;
  private previewNext: Op | null = null;
  private closed = false;
  private retries = 0;
  private previewsOff = false;
  private last: Promise<unknown> = Promise.resolve();
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
    socket.onopen = () => (this.retries = 0);
    socket.onmessage = (event) => this.receive(event.data as string | ArrayBuffer);
    socket.onclose = () => this.lost();
    this.socket = socket;
  }

  private lost(): void {
    this.previewSent = this.previewNext = null;
    for (const w of this.waiting.values()) w.reject(new Error('The connection to the server was lost.'));
    this.waiting.clear();
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
    } else if (frame.header.preview) {
      this.previewDone();
      if (!this.previewsOff) this.events.preview(frame as Frame<FrameHeader>);
    } else if (this.state) {
      this.events.state(this.state, frame as Frame<FrameHeader>);
      const seq = this.state.seq;
      if (seq != null && this.state.by === this.state.window) this.settle(seq, this.state);
    }
  }

  private receiveMessage(message: ServerMessage): void {
    if (message.type === 'state') {
      if (message.reason === 'opened') this.events.connected(true);
      this.state = message;
      this.version = message.version;
      return;
    }
    if (message.type === 'error') {
      const wasPreview = this.previewSent !== null && message.seq === this.previewSent.seq;
      if (wasPreview) this.previewDone();
      if (!wasPreview || !this.previewsOff) this.events.failed(message.message, message.code, wasPreview);
      if (message.seq != null) {
        this.waiting.get(message.seq)?.reject(new Error(message.message));
        this.waiting.delete(message.seq);
      } else if (message.code === 'study') {
        this.closed = true;
      }
      return;
    }
    this.settle(message.seq, message);
  }

  private settle(seq: number, message: ServerMessage): void {
    this.waiting.get(seq)?.resolve(message);
    this.waiting.delete(seq);
  }

  private send(message: Unsent): number {
    const seq = ++this.seq;
    this.socket?.send(JSON.stringify({ ...message, seq }));
    return seq;
  }

  private get open(): boolean {
    return this.socket?.readyState === WebSocket.OPEN;
  }

  /** Show what an operation would make. */
  preview(op: Op): void {
    if (!this.open) return;
    this.previewsOff = false;
    if (this.previewSent) {
      this.previewNext = op;
      return;
    }
    this.previewSent = { seq: this.send({ type: 'preview', op, combs: this.events.combsWanted(), watched: this.events.watched() }), at: performance.now() };
  }

  /** Forget previews on their way: what they show is no longer wanted. */
  dropPreviews(): void {
    this.previewNext = null;
    this.previewsOff = true;
  }

  private previewDone(): void {
    if (this.previewSent) this.roundTrips.push(performance.now() - this.previewSent.at);
    this.previewSent = null;
    const next = this.previewNext;
    this.previewNext = null;
    if (next) this.preview(next);
  }

  private request(message: Unsent): Promise<ServerMessage> {
    if (!this.open) return Promise.reject(new Error('There is no connection to the server at the moment.'));
    const seq = this.send(message);
    return new Promise((resolve, reject) => this.waiting.set(seq, { resolve, reject }));
  }

  /** Apply an operation for good; resolves when it is stored. */
  commit(op: Op): Promise<ServerMessage> {
    this.dropPreviews();
    return this.afterLast(() => this.request({ type: 'commit', base: this.version, op }));
  }

  step(type: 'undo' | 'redo'): Promise<ServerMessage> {
    this.dropPreviews();
    return this.afterLast(() => this.request({ type, base: this.version }));
  }

  /** Changes go one by one, each on top of the version that the last one made. */
  private afterLast(change: () => Promise<ServerMessage>): Promise<ServerMessage> {
    const next = this.last.then(change, change);
    this.last = next;
    return next;
  }

  async probe(id: string, u: number, v: number): Promise<Probed> {
    return (await this.request({ type: 'probe', id, u, v })) as Probed;
  }

  async locate(id: string, edge: string | null, point: Point): Promise<Located> {
    return (await this.request({ type: 'locate', id, edge, point })) as Located;
  }

  async dependents(ids: string[]): Promise<NamedId[]> {
    const answer = await this.request({ type: 'dependents', ids });
    return answer.type === 'dependents' ? answer.items : [];
  }

  combs(combs: CombWanted[]): void {
    if (this.open) this.send({ type: 'combs', combs });
  }

  close(): void {
    this.closed = true;
    this.socket?.close();
  }
}
