import { Button, Paper, Stack } from "@mui/material";
import { Component, type ErrorInfo, type ReactNode } from "react";

/** Shows what to do where a part of the screen broke. What was painted is on the server already; nothing of it is lost. */
export class Boundary extends Component<{ children: ReactNode; what: string }, { error: Error | null }> {
  override state = { error: null as Error | null };

  static getDerivedStateFromError(error: Error): { error: Error } {
    return { error };
  }

  override componentDidCatch(error: Error, info: ErrorInfo): void {
    console.error(error, info.componentStack);
  }

  override render(): ReactNode {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <Paper component="main" role="alert" sx={{ margin: "auto", padding: 3, maxWidth: 460 }}>
        <h2 className="plain">{this.props.what} stopped working</h2>
        <p className="note">
          Everything you painted is stored. Try again; if it happens once more, load the page anew, and keep the words below for a report.
        </p>
        <p className="note told">{error.message}</p>
        <Stack direction="row" spacing={1}>
          <Button variant="contained" onClick={() => this.setState({ error: null })}>
            Try again
          </Button>
          <Button onClick={() => window.location.reload()}>Load the page anew</Button>
        </Stack>
      </Paper>
    );
  }
}
