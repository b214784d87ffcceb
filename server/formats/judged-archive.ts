import { FolderJudge, type AppEntry } from '@keen-larder/core/apps/entries.ts';
import { rewrittenTar } from './tar-rewrite.ts';
import { tarHeaders } from './tar.ts';

/** Pipes and sockets hold nothing; whoever uses them makes them anew. */
const holdsNothing: readonly string[] = ['fifo'];

const judgeOf = () => {
  const judge = new FolderJudge('the folder that it is for');
  return (entry: AppEntry): AppEntry | undefined =>
    holdsNothing.includes(entry.type) ? undefined : { ...entry, ...judge.judge(entry) };
};

/**
 * Judges an archive of files before anything of it reaches a phone, whose own tar would unpack it as root.
 * @throws UnsafeEntry naming the entry that would leave the folder
 * @throws FormatError when it is no archive, or is damaged
 */
export async function judgeArchive(stream: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
  const place = judgeOf();
  for await (const header of tarHeaders(stream)) {
    signal?.throwIfAborted();
    place({
      path: header.name,
      type: header.type === 'contiguous-file' ? 'file' : (header.type ?? 'file'),
      ...(header.linkname && { target: header.linkname }),
      uid: header.uid ?? 0,
      gid: header.gid ?? 0,
      mode: header.mode ?? 0,
    });
  }
}

/**
 * The archive made anew from what was judged of it, so that no other reader can take a name of it for another.
 * @throws as `judgeArchive`, from the stream
 */
export const judgedArchive = (stream: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> =>
  rewrittenTar(stream, judgeOf());
