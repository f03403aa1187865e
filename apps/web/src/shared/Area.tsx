import { Button } from '@mantine/core';
import { Component, type ErrorInfo, type ReactNode } from 'react';
import styles from './Area.module.css';

interface AreaProps {
  /** As the page calls it: “The stage”. */
  name: string;
  /** Another value tries again: what stopped on one station may well stand on the next. */
  of?: string;
  children: ReactNode;
}

/** Holds an error where it happened: the rest of the page goes on, and this part can be drawn again. */
export class Area extends Component<AreaProps, { error: Error | null; of?: string }> {
  override state: { error: Error | null; of?: string } = { error: null, of: this.props.of };

  static getDerivedStateFromError(error: Error) {
    return { error };
  }

  static getDerivedStateFromProps(props: AreaProps, state: { error: Error | null; of?: string }) {
    return props.of === state.of ? null : { error: null, of: props.of };
  }

  override componentDidCatch(error: Error, { componentStack }: ErrorInfo) {
    console.error(`${this.props.name} stopped: ${error.message}${componentStack ?? ''}`);
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <section className={styles.stopped} role="alert" aria-label={`${this.props.name} stopped`}>
        <h2>{this.props.name} stopped on an error</h2>
        <p>
          {error.message || 'It said nothing more'}. The rest of the page goes on, and your work is saved on the server.
        </p>
        <Button onClick={() => this.setState({ error: null })}>Draw it again</Button>
      </section>
    );
  }
}
