/** The views of one project, drawn into one canvas as long as it is open. */
import { afterSync } from "../state/compare";
import { showLook, sync } from "../state/following";
import { setStage } from "../state/stage";
import { workshop } from "../state/workshop";
import { Stage } from "./stage";

export function openStage(canvas: HTMLCanvasElement): () => void {
  const stage = new Stage(canvas);
  setStage(stage);
  stage.setTheme(document.documentElement.dataset.mode !== "light");
  const stop = workshop.subscribe((now, before) => {
    if (
      now.mode !== before.mode ||
      now.channel !== before.channel ||
      now.lightDeg !== before.lightDeg ||
      now.wire !== before.wire ||
      now.sheet !== before.sheet ||
      now.suspects !== before.suspects ||
      now.over !== before.over ||
      now.maskSheet !== before.maskSheet ||
      now.unfold !== before.unfold ||
      now.hiddenFaces !== before.hiddenFaces ||
      now.highlight !== before.highlight ||
      now.project?.document.hidden_parts !== before.project?.document.hidden_parts
    ) {
      showLook();
    }
    if (
      now.project?.revision !== before.project?.revision ||
      now.channel !== before.channel ||
      now.mode !== before.mode ||
      now.over !== before.over ||
      now.suspects !== before.suspects
    )
      void sync().then(afterSync);
  });
  return () => {
    stop();
    stage.dispose();
    setStage(null);
  };
}
