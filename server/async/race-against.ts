/**
 * Races many works against one promise that outlives them: settles as whichever settles first. `Promise.race` would
 * leave something behind on that promise each time, megabytes for each gibibyte that goes over a link.
 */
export function raceAgainst<Lasting>(
  lasting: Promise<Lasting>,
): <Work>(work: PromiseLike<Work> | Work) => Promise<Work | Lasting> {
  const waiting = new Set<() => void>();
  let isSettled = false;
  const settle = () => {
    isSettled = true;
    for (const end of waiting) end();
    waiting.clear();
  };
  lasting.then(settle, settle);
  return (work) =>
    isSettled
      ? Promise.race([work, lasting])
      : new Promise((resolve, reject) => {
          const end = () => resolve(lasting);
          waiting.add(end);
          Promise.resolve(work)
            .then(resolve, reject)
            .finally(() => waiting.delete(end));
        });
}
