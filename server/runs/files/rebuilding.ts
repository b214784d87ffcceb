import type { RunView } from '@keen-larder/contract/runs.ts';
import { RunFailure } from '../../failures.ts';
import type { RunContext } from '../engine/run-context.ts';

/**
 * Makes catalogue and shelf agree, by reading all of the shelf.
 * @throws ShelfFailure where the shelf is not there
 */
export async function startRebuilding({ larder, engine }: RunContext): Promise<RunView> {
  await larder.requireShelf();
  const { storedBytes, freedBytes } = await larder.shelfView();
  return engine.start(
    {
      kind: 'rebuilding',
      title: 'Rebuild the catalogue',
      steps: [{ text: 'Read every pack and every manifest of the shelf', bytes: storedBytes + freedBytes }],
    },
    async (run) => {
      let open = 0;
      await run.step(0, async (passed) => {
        const findings = await larder.rebuild(passed);
        for (const { level, text } of findings) run.log(text, level);
        open = findings.filter(({ level }) => level === 'warning').length;
        return open === 0 ? 'all is there' : `${open} ${open === 1 ? 'thing needs' : 'things need'} a look`;
      });
      const { doubts } = await larder.shelfView();
      if (doubts.length > 0) throw new RunFailure(`Nothing is freed on this shelf yet. ${doubts.join(' ')}`);
      return open === 0
        ? 'Catalogue and shelf agree, and every stored byte is as it was.'
        : 'Catalogue and shelf agree. The log says what needs a look.';
    },
  );
}
