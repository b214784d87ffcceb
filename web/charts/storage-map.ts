import { select, type Selection } from 'd3-selection';
import { roleNames, roles } from '@keen-larder/core/phone/roles.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { roleColour, roleHatch } from '../look/roles.ts';
import { lidPixels, type Jar, type ShelfLine, type StorageLayout } from './storage-layout.ts';

export interface StorageMapState {
  readonly layout: StorageLayout;
  readonly picked: ReadonlySet<string>;
  /** The jar that Tab leads to. */
  readonly focused: string | undefined;
}

const patternId = (role: string) => `hatch-${role}`;

/** Draws the shelves into an SVG element; call again with new data to change the drawing. */
export function drawStorageMap(element: SVGSVGElement, { layout, picked, focused }: StorageMapState): void {
  const svg = select(element).attr('width', layout.width).attr('height', layout.height);
  drawPatterns(svg);
  const lines = svg
    .selectAll<SVGGElement, ShelfLine>('g.shelf')
    .data(layout.lines, (line) => `${line.role}-${line.y}-${line.x}`)
    .join((enter) => {
      const shelf = enter.append('g').attr('class', 'shelf').attr('role', 'group');
      shelf.append('line').attr('class', 'board');
      shelf.append('rect').attr('class', 'code');
      shelf.append('text').attr('class', 'code-text');
      shelf.append('text').attr('class', 'name');
      shelf.append('text').attr('class', 'sum');
      return shelf;
    });
  lines.attr('aria-label', ({ name }) => name);
  lines
    .select('.board')
    .attr('x1', (d) => d.x)
    .attr('x2', (d) => d.x + d.width)
    .attr('y1', (d) => d.y + 1)
    .attr('y2', (d) => d.y + 1);
  const named = (d: ShelfLine) => (d.isFirst ? null : 'none');
  lines
    .select('.code')
    .attr('x', (d) => d.x)
    .attr('y', (d) => d.y - 36)
    .attr('width', 22)
    .attr('height', 16)
    .attr('rx', 2)
    .attr('fill', (d) => roleColour(d.role))
    .attr('display', named);
  lines
    .select('.code-text')
    .attr('x', (d) => d.x + 11)
    .attr('y', (d) => d.y - 24)
    .attr('display', named)
    .text((d) => d.code);
  lines
    .select('.name')
    .attr('x', (d) => d.x + 28)
    .attr('y', (d) => d.y - 24)
    .attr('display', named)
    .text((d) => d.name);
  lines
    .select('.sum')
    .attr('x', (d) => d.x)
    .attr('y', (d) => d.y - 6)
    .attr('display', named)
    .text((d) => `${d.count} · ${sizeText(d.bytes)}`);

  const jars = lines
    .selectAll<SVGGElement, Jar>('g.jar')
    .data(
      (line) => [...line.jars],
      (jar) => jar.partition.name,
    )
    .join((enter) => {
      const jar = enter.append('g').attr('class', 'jar').attr('role', 'checkbox');
      jar.append('title');
      jar.append('path').attr('class', 'lid');
      jar.append('rect').attr('class', 'glass');
      jar.append('rect').attr('class', 'filling');
      jar.append('rect').attr('class', 'paper');
      jar.append('text');
      jar.append('rect').attr('class', 'outline');
      const tick = jar.append('g').attr('class', 'tick');
      tick.append('circle').attr('r', 6.5);
      tick.append('path').attr('d', 'M-3 0.200L-0.800 2.400L3.200 -2.200');
      return jar;
    });
  drawJars(jars, picked, focused);
}

function drawPatterns(svg: Selection<SVGSVGElement, unknown, null, undefined>): void {
  svg
    .selectAll('defs')
    .data([null])
    .join('defs')
    .selectAll<SVGPatternElement, (typeof roles)[number]>('pattern')
    .data(roles)
    .join((enter) => {
      const pattern = enter
        .append('pattern')
        .attr('id', patternId)
        .attr('width', 8)
        .attr('height', 8)
        .attr('patternUnits', 'userSpaceOnUse');
      pattern
        .append('rect')
        .attr('width', 8)
        .attr('height', 8)
        .attr('fill', roleColour)
        .attr('opacity', 0.22);
      pattern
        .append('path')
        .attr('d', (role) => roleHatch[role])
        .attr('stroke', roleColour)
        .attr('stroke-width', 1.2)
        .attr('stroke-linecap', 'round')
        .attr('fill', 'none')
        .attr('opacity', 0.75);
      return pattern;
    });
}

function drawJars(
  jars: Selection<SVGGElement, Jar, SVGGElement, ShelfLine>,
  picked: ReadonlySet<string>,
  focused: string | undefined,
): void {
  const isPicked = ({ partition }: Jar) => picked.has(partition.name);
  const fillHeight = ({ filled, height }: Jar) => Math.max(2, (filled ?? 0) * (height - 2));
  const colour = ({ partition }: Jar) => roleColour(partition.role);
  jars
    .attr('transform', ({ x, y }) => `translate(${x},${y})`)
    .attr('data-partition', ({ partition }) => partition.name)
    .attr('aria-checked', isPicked)
    .attr('aria-label', describe)
    .attr('tabindex', ({ partition }) => (partition.name === focused ? 0 : -1))
    .classed('picked', isPicked)
    .classed('unkept', ({ partition }) => partition.lid === 'none')
    .classed('half', ({ partition }) => partition.isHalfWritten === true);
  jars.select('title').text(describe);
  jars
    .select('.lid')
    .attr('d', ({ width }) => `M2 ${-lidPixels}H${Math.max(3, width - 2)}V-1H2Z`)
    .attr('transform', (jar) => (jar.partition.lid === 'changed' ? lifted(jar) : null))
    .attr('fill', ({ partition }) => (partition.lid === 'kept' ? 'var(--paper)' : roleColour(partition.role)))
    .attr('stroke', colour)
    .attr('display', ({ partition }) => (partition.lid === 'none' ? 'none' : null));
  jars
    .select('.glass')
    .attr('width', ({ width }) => width)
    .attr('height', ({ height }) => height)
    .attr('rx', 3);
  jars
    .select('.filling')
    .attr('x', 1)
    .attr('width', ({ width }) => Math.max(1, width - 2))
    .attr('y', (jar) => jar.height - 1 - fillHeight(jar))
    .attr('height', fillHeight)
    .attr('fill', ({ partition }) => `url(#${patternId(partition.role)})`)
    .attr('display', ({ filled }) => (filled === undefined ? 'none' : null));
  const wide = ({ width }: Jar) => width >= 34;
  jars
    .select('.paper')
    .attr('x', 4)
    .attr('y', ({ height }) => height / 2 - 9)
    .attr('height', 16)
    .attr('width', ({ width }) => Math.max(0, width - 8))
    .attr('display', (jar) => (wide(jar) ? null : 'none'));
  jars
    .select('text')
    .attr('x', ({ width }) => width / 2)
    .attr('y', ({ height }) => height / 2 + 3)
    .text((jar) => (wide(jar) ? fitted(jar.partition.name, jar.width - 10) : ''));
  jars
    .select('.outline')
    .attr('width', ({ width }) => width)
    .attr('height', ({ height }) => height)
    .attr('rx', 3);
  jars
    .select('.tick')
    .attr('transform', ({ width, height }) => `translate(${Math.max(width - 3, 4)},${height - 2})`)
    .attr('display', (jar) => (isPicked(jar) ? null : 'none'));
}

/** Held up at its right end, as a lid that does not fit any more. */
const lifted = ({ width }: Jar) => `rotate(${-Math.min(9, 420 / width)} 2 -1)`;

/** Shortens a name to the pixels there are, at about 6.2 a letter. */
const fitted = (name: string, pixels: number) => {
  const letters = Math.floor(pixels / 6.2);
  return name.length <= letters ? name : `${name.slice(0, Math.max(1, letters - 1))}…`;
};

const lidWords = {
  none: 'never kept',
  kept: 'kept, not compared since',
  same: 'kept and unchanged',
  changed: 'changed since it was kept',
} as const;

function describe({ partition, filled }: Jar): string {
  const use = filled === undefined ? '' : `, ${Math.round(filled * 100)} % in use`;
  const half = partition.isHalfWritten ? ', half written' : '';
  return `${partition.name}, ${roleNames[partition.role].name}, ${sizeText(partition.bytes)}${use}, ${lidWords[partition.lid]}${half}`;
}
