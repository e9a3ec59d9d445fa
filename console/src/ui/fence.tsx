import { Component, type ReactNode } from "react";
import { Lead, Page } from "./page";

type Props = { children: ReactNode; place: string };

/** Keeps what breaks down on a page to the page; another place starts anew. */
export class Fence extends Component<Props, { fault?: Error; place: string }> {
  state: { fault?: Error; place: string } = { place: this.props.place };

  static getDerivedStateFromError(fault: Error) {
    return { fault };
  }

  static getDerivedStateFromProps(props: Props, state: { place: string }) {
    return props.place === state.place ? null : { fault: undefined, place: props.place };
  }

  render() {
    const { fault } = this.state;
    if (!fault) return this.props.children;
    return (
      <Page title="Broken down">
        <Lead>This page broke down: {fault.message}.</Lead>
        <p className="text-soft">
          The others go on, and nothing that was stored is touched. Reload it, or choose another above; if it
          breaks down again, its address and this sentence help to mend it.
        </p>
      </Page>
    );
  }
}
