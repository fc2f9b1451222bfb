// The lineage: each step a mark in the lane of what it makes, with lines from its parents.
import { element } from './svg.js';

const LANES = [16, 35, 54, 73];
export const ROW = 40;

const pictured = (kind) => !['plane', 'axis', 'point'].includes(kind);

/** A function that works out nothing anew while it is given the same things. */
export function remembered(work) {
  let [given, result] = [[], undefined];
  return (...now) => {
    if (now.length !== given.length || now.some((x, i) => x !== given[i])) [given, result] = [now, work(...now)];
    return result;
  };
}

/**
 * Rows for the list beside the drawing, one per step, in the recipe's order; `makes` says what a kind of step makes, for
 * the lane of one that is not built.
 */
export function lineageRows(recipe, report, pictures, makes) {
  const reports = new Map((report?.steps ?? []).map((s) => [s.step, s]));
  return (recipe?.steps ?? []).map((step) => {
    const kind = Object.keys(step.make)[0];
    const r = reports.get(step.id);
    const state = r?.state ?? 'built';
    const notes = { failed: '◆ failed', waits: 'waits', skipped: 'skipped', held: 'held', cancelled: 'stopped' };
    const shown = { backdrop: 'backdrop', hide: 'hidden' };
    const warned = r?.warnings?.length ? '◆' : '';
    return {
      id: step.id,
      name: step.name,
      kind,
      state,
      lane: r?.lane ?? { surface: 1, solid: 3 }[makes(kind)] ?? 0,
      group: step.group ?? null,
      key: pictured(kind) ? pictures[step.id] : null,
      parents: r?.parents ?? [],
      note: notes[state] ?? shown[step.display] ?? warned,
      title:
        r?.error?.message ??
        r?.warnings?.[0]?.message ??
        `${step.name}: ${kind}. Click to open, double click to rename.`,
    };
  });
}

/** The rows that are shown: a heading before the first step of each group, and no step of a folded one. */
export function withGroups(rows, folded) {
  const seen = new Set();
  return rows.flatMap((row) => {
    if (!row.group) return [row];
    const hidden = folded.includes(row.group);
    if (seen.has(row.group)) return hidden ? [] : [row];
    seen.add(row.group);
    const inside = rows.filter((r) => r.group === row.group);
    const members = inside.map((r) => r.id);
    const heading = {
      id: `group ${row.group}`,
      name: row.group,
      members,
      hidden,
      state: 'built',
      parents: hidden ? [...new Set(inside.flatMap((r) => r.parents))].filter((p) => !members.includes(p)) : [],
      lane: Math.max(...inside.map((r) => r.lane)),
      note: inside.some((r) => r.state !== 'built') ? '◆' : `${inside.length} steps`,
      title: hidden ? 'Click to unfold' : 'Click to fold away; double click to rename',
    };
    return hidden ? [heading] : [heading, row];
  });
}

/** Places (from, to) that a step may take in the order: after what it is made from, before what is made from it. */
export function roomFor(rows, id) {
  const row = rows.find((r) => r.id === id);
  const places = (some) => rows.flatMap((r, i) => (some(r) ? [i] : []));
  const from = Math.max(-1, ...places((r) => row.parents.includes(r.id))) + 1;
  const to = Math.min(rows.length, ...places((r) => r.parents.includes(id))) - 1;
  return [from, to];
}

/** The edit that brings a step to a place in the order, or null when it is there. */
export function moveTo(rows, id, place) {
  const now = rows.findIndex((r) => r.id === id);
  const [from, to] = roomFor(rows, id);
  const wanted = Math.min(to, Math.max(from, place));
  if (wanted === now) return null;
  return { edit: 'move_step', step: id, before: rows[wanted > now ? wanted + 1 : wanted]?.id ?? null };
}

/** Ids of a step's ancestors and descendants. */
export function kinOf(rows, id) {
  const kin = new Set();
  if (!id) return kin;
  const byId = new Map(rows.map((r) => [r.id, r]));
  const up = (of) =>
    (byId.get(of)?.parents ?? []).forEach((p) => {
      kin.add(p);
      up(p);
    });
  const down = (of) =>
    rows
      .filter((r) => r.parents.includes(of))
      .forEach((r) => {
        if (!kin.has(r.id)) {
          kin.add(r.id);
          down(r.id);
        }
      });
  up(id);
  down(id);
  return kin;
}

/** The lines and marks as elements of SVG. */
export function lineageDrawing(rows, picked, kin) {
  const place = new Map(
    rows.flatMap((r, i) => {
      const at = [LANES[r.lane], i * ROW + 20];
      return r.members ? (r.hidden ? r.members.map((id) => [id, at]) : []) : [[r.id, at]];
    }),
  );
  const drawn = rows.filter((r) => !r.members || r.hidden).map((r) => (r.members ? { ...r, id: r.members[0] } : r));
  const parts = [];
  for (const row of drawn) {
    const [x, y] = place.get(row.id);
    for (const parent of row.parents) {
      const from = place.get(parent);
      if (!from) continue;
      const lit = (kin.has(row.id) || picked === row.id) && (kin.has(parent) || picked === parent);
      const d = `M${from[0]} ${from[1]}C${from[0]} ${y - 14} ${x} ${from[1] + 14} ${x} ${y}`;
      parts.push(element('path', { class: lit ? 'link kin' : 'link', d }));
    }
  }
  for (const row of drawn) {
    const [x, y] = place.get(row.id);
    const off = row.state === 'failed' ? ' failed' : row.state === 'built' ? '' : ' off';
    const cls = `mark lane${row.lane}${off}${picked === row.id ? ' now' : ''}`;
    const [name, shape] = [
      ['circle', { cx: x, cy: y, r: 6 }],
      ['rect', { x: x - 6, y: y - 6, width: 12, height: 12, rx: 2 }],
      ['path', { d: `M${x} ${y - 7.5}l7.500 7.500-7.500 7.500-7.500-7.500z` }],
      ['path', { d: `M${x - 6} ${y - 3.5}l6-3.500 6 3.500v7l-6 3.500-6-3.500z` }],
    ][row.lane];
    parts.push(element(name, { class: cls, ...shape }));
  }
  return parts;
}
