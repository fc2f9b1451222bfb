// Our own small drawings, one per tool.
const draw = (inner) => `<svg viewBox="0 0 20 20" aria-hidden="true">${inner}</svg>`;

const icons = {
  drawing: draw('<path d="M3 17V3M3 17h14"/><path d="M5.500 14C8 7 11 12 16 4"/>'),
  extrude: draw('<path d="M3 14l5 3 9-3-5-3z"/><path d="M3 14V7l5 3v7M8 10l9-3v7M3 7l9-3 5 3"/>'),
  sweep: draw(
    '<path d="M4 17C4 9 9 5 17 5" stroke-dasharray="2 2"/><circle cx="4" cy="17" r="2"/><path d="M2 17C1 8 8 2 17 3M6 17C6 11 10 7 17 7"/>',
  ),
  rail_sweep: draw(
    '<path d="M3 17C3 10 6 5 8 3M17 17c0-5-1-10-3-14"/><path d="M3 17c3-5 11-5 14 0M5 9.500c3-3 8-3 11 0" stroke-dasharray="2 2"/>',
  ),
  ruled: draw(
    '<path d="M2 15C6 11 9 17 18 13M4 4c5 3 9-1 13 1"/><path d="M4 4 2 15M9 5l-1 8.500M13 4l0 10M17 5l1 8" stroke-width="1"/>',
  ),
  pattern: draw(
    '<rect x="2" y="12" width="5" height="5"/><rect x="8" y="7" width="5" height="5" stroke-dasharray="2 1.500"/><rect x="14" y="2" width="4.500" height="4.500" stroke-dasharray="2 1.500"/>',
  ),
  network: draw(
    '<path d="M2 5c5 3 11-2 16 1M2 11c5 3 11-2 16 1M2 17c5 3 11-2 16 1"/><path d="M4 3c-1 5 1 9 0 15M10 3c-1 5 1 9 0 15M16 3c-1 5 1 9 0 15" stroke-width="1.100"/>',
  ),
  bridge: draw(
    '<path d="M2 4h4v12H2M18 4h-4v12h4"/><path d="M6 6c3 0 5 2 8 2M6 14c3 0 5-2 8-2" stroke-dasharray="2 1.500"/>',
  ),
  patch: draw(
    '<path d="M4 6l7-3 6 5-2 8-9 1z"/><path d="M4 6c4 3 8 3 13 2M6 17c1-5 3-9 5-14" stroke-dasharray="2 1.500"/>',
  ),
  reshape: draw(
    '<path d="M3 15L8 6l5 3 4-5" stroke-dasharray="2 1.500"/><path d="M3 15c4-9 9-3 14-11"/><circle cx="3" cy="15" r="1.500"/><circle cx="8" cy="6" r="1.500"/><circle cx="13" cy="9" r="1.500"/><circle cx="17" cy="4" r="1.500"/>',
  ),
  strip: draw('<path d="M2 13C6 7 12 15 18 8"/><path d="M3 17c4-6 10 2 16-5M2 13l1 4M18 8l1 4"/>'),
  loft: draw('<path d="M5 17h10M7 10h6M9 3h2"/><path d="M5 17C5 12 8 8 9 3M15 17c0-5-3-9-4-14"/>'),
  flat_face: draw('<path d="M2 14 7 5h11l-5 9z"/><circle cx="10" cy="9.500" r="2.200"/>'),
  copy: draw('<path d="M10 2v16" stroke-dasharray="3 2"/><path d="M8 5 3 15h5M12 5l5 10h-5"/>'),
  joined_surface: draw(
    '<path d="M2 5c4-2 5 2 8 0v10c-3 2-4-2-8 0zM10 5c3-2 4 2 8 0v10c-4 2-5-2-8 0"/><path d="M10 5v10" stroke-width="2.600"/>',
  ),
  revolve: draw(
    '<path d="M10 2v16" stroke-dasharray="3 2.500"/><path d="M10 16c4-1 3-5 5-6s2-4 2-5"/><path d="M3 5c3 3 10 3 14 0"/>',
  ),
  thicken: draw('<path d="M4 3c0 8 4 13 12 13"/><path d="M8 3c0 5 3 9 8 9"/><path d="M4 3h4M16 16v-4"/>'),
  trim: draw(
    '<path d="M2 13c5-6 11 2 16-5"/><path d="M7 3l6 14" stroke-dasharray="2 1.500"/><path d="M12 15l5 3M17 15l-5 3" stroke-width="1.100"/>',
  ),
  split: draw(
    '<path d="M2 12c3-4 5-4 7-3M11 8c3 0 5-1 7-3M9 9v7l-7 2v-6M11 8v7l7-3V5"/><path d="M10 2v16" stroke-dasharray="2 1.500"/>',
  ),
  restore: draw(
    '<path d="M3 5h14v10H3z" stroke-dasharray="2 1.500"/><path d="M6 15c0-5 4-5 5-10"/><path d="M14 12a3 3 0 1 1-1-4M13 5v3h-3"/>',
  ),
  extend: draw(
    '<path d="M2 6h8v8H2z"/><path d="M10 6h8v8h-8" stroke-dasharray="2.500 1.800"/><path d="M12 10h5M15 8l2 2-2 2"/>',
  ),
  fillet: draw(
    '<path d="M3 17V11c0-5 3-8 8-8h6"/><path d="M3 8V3h5" stroke-dasharray="2 1.500"/><path d="M11 11L6 5.500" stroke-width="1"/>',
  ),
  chamfer: draw('<path d="M3 17v-7l7-7h7"/><path d="M3 7V3h4" stroke-dasharray="2 1.500"/>'),
  surface_fillet: draw(
    '<path d="M2 16h5M10 13V3" /><path d="M7 16c2 0 3-1 3-3"/><path d="M10 16h8M10 16v2" stroke-dasharray="2 1.500"/><circle cx="6.500" cy="12.500" r="3.300" stroke-width="0.900"/>',
  ),
  raised_region: draw(
    '<path d="M1 15h4l2-6h6l2 6h4"/><path d="M5 15h10" stroke-dasharray="2 1.500"/><path d="M10 7V2M8 4l2-2 2 2" stroke-width="1.100"/>',
  ),
  inset_edge: draw(
    '<path d="M2 4c5-2 11-2 16 0v12c-5 2-11 2-16 0z"/><path d="M5 7c3-1 7-1 10 0v6c-3 1-7 1-10 0z" stroke-dasharray="2 1.500"/>',
  ),
  lead_out: draw(
    '<path d="M7 4c-3 4-3 8 0 12"/><path d="M7 4l10-1M6 8l11-.500M6 12l11 .500M7 16l10 1" stroke-width="1.100"/><path d="M17 3c1.500 5 1.500 9 0 14" stroke-dasharray="2 1.500"/>',
  ),
  remove_faces: draw(
    '<path d="M3 7l7-4 7 4v7l-7 4-7-4z"/><path d="M3 7l7 4 7-4M10 11v7" stroke-dasharray="2 1.800"/><path d="M11.500 12.500l4 3M15.500 12l-4 4" stroke-width="1.800"/>',
  ),
  swap_face: draw(
    '<path d="M3 9v7h14V9"/><path d="M3 9h14" stroke-dasharray="2.500 1.800"/><path d="M2 5c5-4 10 3 16-1"/><path d="M8 11.500h4M12 11.500l-1.500-1.500M12 11.500l-1.500 1.500" stroke-width="1"/>',
  ),
  offset: draw('<path d="M2 14C6 4 12 14 18 6"/><path d="M2 18C6 8 12 18 18 10" stroke-dasharray="2.500 1.800"/>'),
  hollow: draw(
    '<path d="M3 6v9c0 2 3 3 7 3s7-1 7-3V6"/><path d="M6 6.500v7.500c0 1 2 1.500 4 1.500s4-.5 4-1.500V6.500" stroke-width="1"/><ellipse cx="10" cy="5.500" rx="7" ry="2.800"/><ellipse cx="10" cy="5.500" rx="4" ry="1.400" stroke-width="1"/>',
  ),
  cap: draw(
    '<path d="M4 7v8c3 3 9 3 12 0V7"/><ellipse cx="10" cy="6" rx="6" ry="2.500" fill="currentColor" fill-opacity="0.250"/>',
  ),
  enclose: draw(
    '<path d="M2 6h16M2 14h16M6 2v16M14 2v16" stroke-dasharray="2 1.500"/><path d="M6 6h8v8H6z" fill="currentColor" fill-opacity="0.250" stroke-width="2.200"/>',
  ),
  combine: draw('<path d="M12 7a5 5 0 1 0-4 6"/><path d="M8 13a5 5 0 1 0 4-6"/>'),
  fill_to_level: draw(
    '<path d="M4 3v13h12V3"/><path d="M4 9c2-1 4 1 6 0s4-1 6 0"/><path d="M6 12h8M6 14h8" stroke-width="0.900"/>',
  ),
  space_curve: draw('<path d="M2 15 9 17l9-5-7-3z" stroke-dasharray="2 2"/><path d="M3 14C6 3 12 12 17 4"/>'),
  helix: draw('<path d="M4 16c0 3 12 2 12-1S4 13 4 10s12-1 12-3S5 6 5 3"/>'),
  crossed_projection: draw(
    '<path d="M3 4v12l6 2V6zM11 6v12l6-3V3z" stroke-dasharray="2 2"/><path d="M5 14c0-4 2-4 2-7M13 15c3-2 0-6 2-9"/>',
  ),
  projected_curve: draw(
    '<path d="M2 14c5 4 11 4 16 0M5 3c3 2 6 0 10 1"/><path d="M6 6v6M10 6v7M14 6v6" stroke-dasharray="2 2"/>',
  ),
  section_curve: draw('<path d="M6 3h8l3 14H3z"/><path d="M2 12c5-3 11-3 16 0" stroke-width="2.400"/>'),
  surface_curve: draw('<path d="M3 13c5-6 9 2 14-4"/><path d="M3 13V6c5-6 9 2 14-4v7" stroke-dasharray="2 2"/>'),
  meeting_curve: draw(
    '<path d="M2 7c5-3 11-3 16 0v9c-5-3-11-3-16 0z" stroke-dasharray="2 2"/><path d="M5 18C6 9 14 12 15 2" stroke-width="2.400"/>',
  ),
  curve_on_surface: draw(
    '<path d="M2 6c5-3 11-3 16 0v10c-5-3-11-3-16 0z"/><path d="M4 13c3-6 7 2 12-4"/><circle cx="4" cy="13" r="1.400"/><circle cx="16" cy="9" r="1.400"/>',
  ),
  joined_curve: draw('<path d="M3 15c2-6 5-6 7-5s5 0 7-6"/><circle cx="10" cy="10" r="2"/>'),
  plane: draw('<path d="M2 13 8 6h10l-6 7z"/><path d="M10 10V3"/>'),
  axis: draw('<path d="M4 17 16 3" stroke-dasharray="5 2 1.500 2"/><path d="M12 3h4v4"/>'),
  point: draw('<path d="M10 4v12M4 10h12"/><circle cx="10" cy="10" r="2.400"/>'),
};

export const icon = (kind) => icons[kind] ?? '';
