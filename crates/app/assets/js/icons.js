// Our own small drawings, one per tool.
const draw = (inner) => `<svg viewBox="0 0 20 20" aria-hidden="true">${inner}</svg>`;

const icons = {
  drawing: draw('<path d="M3 17V3M3 17h14"/><path d="M5.500 14C8 7 11 12 16 4"/>'),
  revolve: draw(
    '<path d="M10 2v16" stroke-dasharray="3 2.500"/><path d="M10 16c4-1 3-5 5-6s2-4 2-5"/><path d="M3 5c3 3 10 3 14 0"/>',
  ),
  thicken: draw('<path d="M4 3c0 8 4 13 12 13"/><path d="M8 3c0 5 3 9 8 9"/><path d="M4 3h4M16 16v-4"/>'),
  edit: draw(
    '<circle cx="5" cy="14" r="2.200"/><circle cx="15" cy="6" r="2.200"/><path d="M6.800 12.600C9 11 11 9 13.200 7.400"/>',
  ),
  through_points: draw(
    '<path d="M2 15C5 4 9 17 18 5"/><circle cx="4.700" cy="10.400" r="1.600"/><circle cx="11" cy="11.200" r="1.600"/>',
  ),
  control_points: draw('<path d="M2 16 7 4l8 10 3-9" stroke-dasharray="2 2.500"/><path d="M2 16C7 6 13 13 18 5"/>'),
  arc: draw('<path d="M3 15A9 9 0 0 1 17 8"/><circle cx="3" cy="15" r="1.300"/><circle cx="17" cy="8" r="1.300"/>'),
};

export const icon = (kind) => icons[kind] ?? '';
