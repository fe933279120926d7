// What the worker works out: asked once, looked at until it is there. `told` hears of what is said meanwhile.
import { Refused, ask, pause } from "./ask.js";

export const workedOut = async (where, { method = "POST", told = () => {} } = {}) => {
  let [address, how] = [where, method];
  for (;;) {
    let wait = 120;
    try {
      const task = await ask(address, { method: how, stays: "this goes on when it is back" });
      [address, how] = [`/api/tasks/${task.id}/progress`, "GET"];
      if (task.state === "done") return task.answer;
      if (task.state === "failed" || task.state === "cancelled") throw new Refused(task.said);
      told(task);
      if (task.of) wait = 300;
    } catch (problem) {
      if (problem instanceof Refused) throw problem;
      told({ said: problem.message, of: 0 });
      wait = 1500;
    }
    await pause(wait);
  }
};
