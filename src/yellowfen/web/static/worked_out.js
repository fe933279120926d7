// What the worker works out: asked once, looked at until it is there. `told` hears of what is said meanwhile.
"use strict";

window.workedOut = async (where, { method = "POST", told = () => {} } = {}) => {
  let [address, how] = [where, method];
  for (;;) {
    let wait = 120;
    try {
      const reply = await fetch(address, { method: how, headers: { accept: "application/json" } });
      const task = await reply.json();
      if (!reply.ok) throw new Refusal(task.problem);
      [address, how] = [`/api/tasks/${task.id}/progress`, "GET"];
      if (task.state === "done") return task.answer;
      if (task.state === "failed" || task.state === "cancelled") throw new Refusal(task.said);
      told(task);
      if (task.of) wait = 300;
    } catch (problem) {
      if (problem instanceof Refusal) throw problem;
      told({ said: "The server does not answer. This goes on when it is back.", of: 0 });
      wait = 1500;
    }
    await new Promise((go) => setTimeout(go, wait));
  }
};

class Refusal extends Error {}
