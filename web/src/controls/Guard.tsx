import { Component, type ReactNode } from "react";
import { Button } from "./Button";

/** Where a place breaks, the shell stays: what happened is said, and there is a way on. */
export class Guard extends Component<{ place: string; children: ReactNode }, { error: unknown }> {
  override state: { error: unknown } = { error: null };

  static getDerivedStateFromError(error: unknown) {
    return { error };
  }

  override componentDidUpdate(before: { place: string }) {
    if (before.place !== this.props.place && this.state.error) this.setState({ error: null });
  }

  override render() {
    if (!this.state.error) return this.props.children;
    const message = this.state.error instanceof Error ? this.state.error.message : String(this.state.error);
    return (
      <div role="alert" className="border-l-4 border-accent bg-mark/40 px-4 py-3">
        <p className="font-semibold">This page could not be shown.</p>
        <p className="text-soft">
          Nothing was lost: what was saved is with the server. Load it again, or go on to another place.
        </p>
        <p className="figure mt-1 text-[0.84rem] text-mute">{message}</p>
        <p className="mt-3">
          <Button onClick={() => window.location.reload()}>Load it again</Button>
        </p>
      </div>
    );
  }
}
