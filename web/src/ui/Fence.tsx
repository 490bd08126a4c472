import { Component, type ReactNode } from 'react';

interface Props {
  /** What stands here, in words. */
  what: string;
  /** When this changes, what failed is tried again. */
  about: string | null;
  children: ReactNode;
}

/** Keeps a fault of one panel from taking the window with it. */
export class Fence extends Component<Props, { fault: string | null }> {
  override state = { fault: null as string | null };

  static getDerivedStateFromError(error: unknown): { fault: string } {
    return { fault: error instanceof Error ? error.message : String(error) };
  }

  override componentDidUpdate(before: Props): void {
    if (before.about !== this.props.about && this.state.fault) this.setState({ fault: null });
  }

  override render(): ReactNode {
    if (this.state.fault === null) return this.props.children;
    return (
      <section className="paper card" role="alert">
        <h2>{this.props.what} cannot be shown</h2>
        <div className="note bad">▲ A fault of Pamble: {this.state.fault}. The study is safe; pick something else, or undo the last step.</div>
      </section>
    );
  }
}
