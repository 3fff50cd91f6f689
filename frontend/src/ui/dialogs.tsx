import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useState } from "react";
import { create } from "zustand";

interface Question {
  title: string;
  text?: string;
  /** What the buttons do, in their own words; the last one is what Enter does. */
  choices: readonly { id: string; label: string }[];
  /** Asked with a field, whose first text this is. */
  field?: { label: string; first: string };
  answer: (choice: string | null, text: string) => void;
}

const questions = create<{ asked: Question | null }>(() => ({ asked: null }));

function ask(question: Omit<Question, "answer">): Promise<[string | null, string]> {
  return new Promise((resolve) => {
    questions.getState().asked?.answer(null, "");
    questions.setState({ asked: { ...question, answer: (choice, text) => resolve([choice, text]) } });
  });
}

/** Which of several ways the person chose; null for none. */
export async function chosen<T extends string>(title: string, text: string, choices: readonly { id: T; label: string }[]): Promise<T | null> {
  return (await ask({ title, text, choices }))[0] as T | null;
}

/** The name that was given, trimmed; null where there is none. */
export async function askedName(title: string, label: string, first: string, does: string): Promise<string | null> {
  const [choice, text] = await ask({ title, choices: [{ id: "yes", label: does }], field: { label, first } });
  return (choice && text.trim()) || null;
}

/** Stands once in the page and shows what is asked. */
export function Questions() {
  const asked = questions((s) => s.asked);
  return asked && <Asked key={asked.title} question={asked} />;
}

function Asked({ question: { title, text: what, choices, field, answer } }: { question: Question }) {
  const [text, setText] = useState(field?.first ?? "");
  const close = (choice: string | null): void => {
    questions.setState({ asked: null });
    answer(choice, text);
  };
  const last = choices[choices.length - 1]?.id ?? null;
  const missing = field !== undefined && !text.trim();
  return (
    <Dialog open onClose={() => close(null)} aria-labelledby="question" slotProps={{ paper: { sx: { minWidth: 360 } } }}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (!missing) close(last);
        }}
      >
        <DialogTitle id="question" sx={{ fontSize: 15, fontWeight: 700, paddingBottom: 1 }}>
          {title}
        </DialogTitle>
        <DialogContent>
          {what && <p className="note">{what}</p>}
          {field && (
            <TextField
              autoFocus
              fullWidth
              margin="dense"
              label={field.label}
              value={text}
              onChange={(e) => setText(e.target.value)}
              onFocus={(e) => e.target.select()}
              slotProps={{ htmlInput: { maxLength: 60 } }}
            />
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={() => close(null)}>Cancel</Button>
          {choices.map((c) => (
            <Button
              key={c.id}
              type={c.id === last ? "submit" : "button"}
              variant={c.id === last ? "contained" : "outlined"}
              disabled={missing}
              onClick={c.id === last ? undefined : () => close(c.id)}
            >
              {c.label}
            </Button>
          ))}
        </DialogActions>
      </form>
    </Dialog>
  );
}
