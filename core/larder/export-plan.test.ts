import { describe, expect, it } from 'vitest';
import { exportFiles, packingSuffix } from './export-plan.ts';

const chunkBytes = 262_144;
/** An image of which `z` stands for a chunk of zeros. */
const image = (partition: string, chunks: string, bytes = chunks.length * chunkBytes) => ({
  partition,
  isArchive: false,
  bytes,
  chunkBytes,
  zeros: [...chunks].map((each) => each === 'z'),
});

describe('the files of an export', () => {
  it('are one raw file an image, whatever is in it', () => {
    const files = exportFiles([image('boot', 'xz'), image('efs', 'z', 1000)], { form: 'raw' });
    expect(files).toEqual([
      { partition: 'boot', name: 'boot.img', bytes: 2 * chunkBytes, sparse: undefined },
      { partition: 'efs', name: 'efs.img', bytes: 1000, sparse: undefined },
    ]);
    expect(exportFiles([image('boot', 'xz')], { form: 'tar' })[0]).toMatchObject({ name: 'boot.img' });
  });

  it('as sparse images leave out what is zeros', () => {
    const [file] = exportFiles([image('system', 'xzzzzx')], { form: 'sparse' });
    expect(file!.name).toBe('system.simg');
    expect(file!.sparse!.chunks.map(({ type, blocks }) => [type, blocks])).toEqual([
      ['raw', 64],
      ['zeros', 256],
      ['raw', 64],
    ]);
    // Header, three chunk headers, one word of fill, and the two chunks themselves.
    expect(file!.bytes).toBe(28 + 3 * 12 + 4 + 2 * chunkBytes);
  });

  it('in several sparse files cover the image once, each within the size asked for', () => {
    const files = exportFiles([image('system', 'xxxxzxxxx')], { form: 'sparse', splitBytes: 600_000 });
    expect(files.map(({ name }) => name)).toEqual(
      files.map((_, i) => `system-${i + 1}of${files.length}.simg`),
    );
    let next = 0;
    for (const { bytes, sparse } of files) {
      expect(bytes).toBeLessThanOrEqual(600_000);
      expect(sparse!.totalBlocks).toBe(9 * 64);
      for (const { type, block, blocks } of sparse!.chunks) {
        if (type === 'skip') continue;
        expect(block).toBe(next);
        next += blocks;
      }
    }
    expect(next).toBe(9 * 64);
  });

  it('take smaller blocks where the image has no whole ones of 4 KiB, and stay raw where it has no sectors', () => {
    const [small] = exportFiles([image('frp', 'x', 512 * 3)], { form: 'sparse' });
    expect(small!.sparse).toMatchObject({ blockBytes: 512, totalBlocks: 3 });
    const [odd] = exportFiles([image('notes', 'x', 1000)], { form: 'sparse' });
    expect(odd).toMatchObject({ name: 'notes.img', bytes: 1000 });
  });

  it('keep an archive of files as it is in every form', () => {
    const files = { ...image('userdata-files', 'xz'), isArchive: true };
    for (const form of ['raw', 'sparse', 'tar'] as const) {
      expect(exportFiles([files], { form })).toEqual([
        { partition: 'userdata-files', name: 'userdata-files.tar', bytes: 2 * chunkBytes, sparse: undefined },
      ]);
    }
  });

  it('are called by what packed them', () => {
    expect(packingSuffix).toEqual({ none: '', gzip: '.gz', zstd: '.zst' });
  });
});
