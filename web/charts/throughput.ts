import { max } from 'd3-array';
import { axisBottom, axisLeft } from 'd3-axis';
import { scaleLinear } from 'd3-scale';
import { select } from 'd3-selection';
import { area, curveMonotoneX, line } from 'd3-shape';
import { durationText } from '@keen-larder/core/bytes/units.ts';

export interface Size {
  readonly width: number;
  readonly height: number;
}

const mebibyte = 1024 * 1024;
const margin = { left: 74, right: 30, top: 8, bottom: 20 };

/** Draws speeds in bytes per second, one value a tick, over the time that the run has taken. */
export function drawThroughput(
  element: SVGSVGElement,
  speeds: readonly number[],
  elapsedMs: number,
  { width, height }: Size,
): void {
  const x = scaleLinear([0, Math.max(1, speeds.length - 1)], [margin.left, width - margin.right]);
  const y = scaleLinear([0, (max(speeds) ?? 1) / mebibyte], [height - margin.bottom, margin.top]).nice(3);
  const svg = select(element).attr('width', width).attr('height', height);
  const group = (name: string) =>
    svg.selectAll<SVGGElement, null>(`g.${name}`).data([null]).join('g').attr('class', name);
  group('axis')
    .attr('transform', `translate(${margin.left},0)`)
    .call(
      axisLeft(y)
        .ticks(3)
        .tickSize(-(width - margin.left - margin.right))
        .tickFormat((value) => `${String(value)} MiB/s`),
    )
    .call((axis) => axis.select('.domain').remove());
  const time = scaleLinear([0, elapsedMs / 1000], x.range());
  group('time')
    .attr('transform', `translate(0,${height - margin.bottom + 4})`)
    .call(
      axisBottom(time)
        .ticks(Math.min(6, Math.max(1, elapsedMs / 1000)))
        .tickSize(0)
        .tickFormat((seconds) => (Number(seconds) === 0 ? '0 s' : durationText(Number(seconds) * 1000))),
    )
    .call((axis) => axis.select('.domain').remove());
  const points = speeds.map((speed, i): [number, number] => [x(i), y(speed / mebibyte)]);
  const path = (name: string, d: string | null) =>
    group('speed').selectAll(`path.${name}`).data([null]).join('path').attr('class', name).attr('d', d);
  path('under', area().curve(curveMonotoneX).y0(y(0))(points));
  path('over', line().curve(curveMonotoneX)(points));
}
