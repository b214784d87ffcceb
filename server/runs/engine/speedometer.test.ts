import { describe, expect, it } from 'vitest';
import { Speedometer } from './speedometer.ts';

describe('the speedometer', () => {
  it('measures the last seconds, not the whole run', () => {
    const speed = new Speedometer(0);
    for (let at = 0; at < 10_000; at += 100) speed.pass(1000, at);
    expect(speed.bytesPerSecond).toBeGreaterThan(9_000);
    expect(speed.bytesPerSecond).toBeLessThan(11_000);
    for (let at = 10_000; at < 16_000; at += 100) speed.pass(5000, at);
    expect(speed.bytesPerSecond).toBeGreaterThan(45_000);
  });

  it('falls when nothing comes any more', () => {
    const speed = new Speedometer(0);
    speed.pass(1_000_000, 0);
    speed.tick(500);
    const early = speed.bytesPerSecond;
    speed.tick(3_500);
    expect(speed.bytesPerSecond).toBeLessThan(early / 4);
  });

  it('keeps a value a second for the chart, and coarser ones for runs of hours', () => {
    const speed = new Speedometer(0);
    for (let at = 250; at <= 5_000; at += 250) {
      speed.pass(250_000, at);
      speed.tick(at);
    }
    expect(speed.speeds).toHaveLength(5);
    for (const each of speed.speeds) expect(each).toBeCloseTo(1_000_000, -5);
    for (let at = 5_250; at < 4 * 3_600_000; at += 250) {
      speed.pass(250_000, at);
      speed.tick(at);
    }
    expect(speed.speeds.length).toBeLessThanOrEqual(601);
    expect(speed.speeds.length).toBeGreaterThan(250);
    expect(Math.max(...speed.speeds) / Math.min(...speed.speeds)).toBeLessThan(1.2);
  });
});
