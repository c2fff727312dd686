import { Component, type ErrorInfo, type ReactNode } from "react";
import styled from "styled-components";
import { Button } from "./controls";

const Said = styled.section`
  display: grid; gap: 8px; justify-items: start; align-content: center; padding: 10px 12px;
  border: 1px solid var(--error); border-radius: 4px; background: var(--error-wash); color: var(--error);
  & p { margin: 0; }
  &[data-alone="true"] { border: 0; justify-items: center; text-align: center; height: 100%; }
`;

interface BoundaryProps {
  /** What it holds, as a sentence begins with it. */
  what: string;
  /** It fills the place of what it holds. */
  alone?: boolean;
  /** What it shows at the time: it is tried again when that is something else. */
  about?: string;
  children: ReactNode;
}

/** What goes wrong in drawing a part of the page stays in that part: it says so, and can be tried again. */
export class Boundary extends Component<BoundaryProps, { failed: boolean }> {
  override state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  override componentDidCatch(error: Error, info: ErrorInfo) {
    console.warn(`${this.props.what} could not be shown.`, error, info.componentStack);
  }

  override componentDidUpdate(before: BoundaryProps) {
    if (this.state.failed && before.about !== this.props.about) this.setState({ failed: false });
  }

  override render() {
    if (!this.state.failed) return this.props.children;
    return (
      <Said role="alert" data-alone={this.props.alone}>
        <p>{this.props.what} could not be shown. Nothing of your work is lost.</p>
        <Button onPress={() => this.setState({ failed: false })}>Try again</Button>
      </Said>
    );
  }
}
