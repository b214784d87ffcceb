import { Router } from 'express';
import type { AppCode } from '@keen-larder/contract/copies.ts';
import { PurposesChange } from '@keen-larder/contract/requests/purposes.ts';
import { TrackersChange } from '@keen-larder/contract/requests/trackers.ts';
import { trackersAmong } from '@keen-larder/core/apps/trackers.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readClasses } from '@keen-larder/core/formats/apk/apk.ts';
import { imageSource } from '../../larder/inside/image-source.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { userIn, valid } from '../validate.ts';
import { Problem } from '../../failures.ts';

/** @throws Problem 400 naming what is in a list twice */
function mustDiffer(names: readonly string[], next: string): void {
  const seen = new Set<string>();
  for (const name of names) {
    if (seen.has(name)) throw new Problem(400, `“${name}” is in the list twice. ${next}`);
    seen.add(name);
  }
}

/** What is in the code of apps, what pre-installed ones are for, and the list of trackers that is looked for in it. */
export function codeRoutes(app: KeenLarder): Router {
  const { bench, larder } = app;
  const { trackers, purposes } = app.known;
  const routes = Router();
  const codeOf = async (classes: () => Promise<readonly string[]>): Promise<AppCode> => {
    try {
      const names = await classes();
      return { classes: names.length, trackers: trackersAmong(names, trackers.all()) };
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
      throw new Problem(409, `Its code cannot be read: ${error.message}.`);
    }
  };

  routes.get('/trackers', (_request, response) => void response.json(trackers.all()));

  routes.put('/trackers', (request, response) => {
    const list = valid(TrackersChange, request.body).trackers;
    const names = list.map(({ name }) => name.trim());
    mustDiffer(names, 'Give one another name.');
    trackers.replace(list.map((each, i) => ({ ...each, name: names[i]! })));
    response.json(trackers.all());
  });

  routes.get('/purposes', (_request, response) => void response.json(purposes.all()));

  routes.put('/purposes', (request, response) => {
    const list = valid(PurposesChange, request.body).purposes;
    mustDiffer(
      list.map(({ pattern }) => pattern),
      'Leave one of them out.',
    );
    purposes.replace(list.map((each) => ({ ...each, kind: each.kind.trim() })));
    response.json(purposes.all());
  });

  routes.get('/phones/:serial/apps/:package/code', async (request, response) => {
    const { serial, package: name } = request.params;
    const access = bench.apps(serial, userIn(request.query['user']));
    const found = (await access.recent()).find((each) => each.package === name);
    if (!found) throw new Problem(404, `${name} is not on this phone.`);
    response.json(await codeOf(() => access.classes(found)));
  });

  routes.get('/app-copies/:id/code', async (request, response) => {
    const copy = larder.copies.one(request.params.id);
    const programs = copy.parts.filter(({ kind }) => kind === 'program');
    if (programs.length === 0)
      throw new Problem(409, 'Its program was not copied: there is no code to look at.');
    const classes = async () => {
      const names: string[] = [];
      for (const { name } of programs)
        names.push(...(await readClasses(imageSource(larder.shelf, larder.copies.part(copy.id, name)))));
      return names;
    };
    response.json(await codeOf(classes));
  });

  return routes;
}
