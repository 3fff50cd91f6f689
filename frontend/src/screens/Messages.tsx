import { Button, Popover, Snackbar } from "@mui/material";
import { useState } from "react";
import { useMessages } from "../state/hooks";
import { dismiss, markRead, readingTime } from "../state/messages";
import { TopButton } from "./TopButton";

/** The newest message, over every screen, for as long as it takes to read it. */
export function ShownMessage() {
  const shown = useMessages((s) => s.shown);
  return (
    <Snackbar
      key={shown?.id}
      open={shown !== null}
      message={shown?.text}
      // A trouble stays until it is read or another takes its place.
      autoHideDuration={shown && !shown.bad ? readingTime(shown) : null}
      onClose={(_, reason) => reason !== "clickaway" && dismiss()}
      action={
        <Button size="small" color="inherit" onClick={dismiss}>
          Dismiss
        </Button>
      }
      anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      // Right of the rail, whose colours stay in sight.
      sx={{ ml: "52px" }}
      slotProps={{ content: { role: shown?.bad ? "alert" : "status", sx: { borderLeft: shown?.bad ? "3px solid var(--error)" : undefined } } }}
    />
  );
}

/** Everything that was told, newest first, behind a button that counts troubles nobody has looked at. */
export function MessageList() {
  const list = useMessages((s) => s.list);
  const unread = useMessages((s) => s.unread);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const label = unread ? `Messages: ${unread} unread` : "Messages";
  return (
    <>
      <span className={unread ? "badged" : undefined} data-count={unread || undefined}>
        <TopButton
          icon="note"
          label={label}
          name={label}
          onClick={(event) => {
            setAnchor(event.currentTarget);
            markRead();
            dismiss();
          }}
        />
      </span>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "right" }}
        transformOrigin={{ vertical: "top", horizontal: "right" }}
      >
        <div className="messages" role="log" aria-label="Messages">
          {list.length === 0 && <p className="note">Nothing yet. What Ruvelt tells you stays here until you close this window.</p>}
          {[...list].reverse().map((m) => (
            <div key={m.id} className={m.bad ? "told bad" : "told"}>
              <span className="count">
                {new Date(m.at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", second: "2-digit", hour12: false })}
              </span>
              {m.text}
            </div>
          ))}
        </div>
      </Popover>
    </>
  );
}
