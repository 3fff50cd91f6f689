import { useEffect, useState } from "react";
import { theStage } from "../state/stage";

/** Draw again whenever the views did. */
export function useDrawn(): void {
  const [, drawn] = useState(0);
  useEffect(() => {
    const stage = theStage();
    const follow = (): void => drawn((n) => n + 1);
    stage?.onDrawn.add(follow);
    return () => {
      stage?.onDrawn.delete(follow);
    };
  }, []);
}
