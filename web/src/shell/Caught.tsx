import { Component, type ReactNode } from 'react';
import { Button, Mute, Page, ProblemNote, Row } from '../ui/parts';

/** A script that could not be fetched stays so for the page that asked: only loading it anew asks again. */
const notFetched = ({ message }: Error): boolean => /import(ed|ing).*module/i.test(message);

/**
 * Catches what a page cannot show. What was typed is kept in this browser by the drafts and the queue, so looking again
 * loses nothing; Stop and the rest of the frame stay where they are.
 */
export class Caught extends Component<{ children: ReactNode }, { error: Error | null }> {
  override state: { error: Error | null } = { error: null };

  static getDerivedStateFromError(error: Error): { error: Error } {
    return { error };
  }

  override render(): ReactNode {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <Page>
        <h1>This page cannot be shown</h1>
        <ProblemNote
          what={`Something in the record could not be drawn: ${error.message}`}
          accepted="Look again, or go on in another stage. What you typed is kept on this tablet."
        />
        <Row>
          <Button onPress={() => (notFetched(error) ? location.reload() : this.setState({ error: null }))}>
            Look again
          </Button>
          <Mute>The record itself is not touched by this.</Mute>
        </Row>
      </Page>
    );
  }
}
