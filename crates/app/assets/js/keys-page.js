// Keys, and finding a tool by its name. Mixed into the part page.

export const keysPage = (parts, descriptions) => ({
  openFinder() {
    this.finder = '';
    this.$nextTick(() => document.getElementById('finder-text').focus());
  },
  found() {
    const words = (this.finder ?? '').toLowerCase().split(/\s+/).filter(Boolean);
    const tools = descriptions.steps.map((d) => ({
      label: d.label,
      purpose: d.purpose,
      also: d.also,
      key: d.key,
      run: () => this.begin(d.kind),
    }));
    tools.push(
      {
        label: 'Send',
        purpose: 'Files to send out: STEP, STL, 3MF',
        also: 'export save file print',
        key: '',
        run: () => this.openStage('Send'),
      },
      {
        label: 'Measures',
        purpose: 'Volume, area, size of every body',
        also: 'prove mass centroid check',
        key: '',
        run: () => this.openStage('Prove'),
      },
      {
        label: 'Parameters',
        purpose: 'Named values, and the unit',
        also: 'variables formula unit inch',
        key: '',
        run: () => this.togglePanel('parameters'),
      },
    );
    return tools.filter((t) => words.every((w) => `${t.label} ${t.purpose} ${t.also}`.toLowerCase().includes(w)));
  },
  runFound(found) {
    this.finder = null;
    found?.run();
  },
  escape() {
    if (this.finder !== null) this.finder = null;
    else if (this.renaming) this.renaming = null;
    else if (this.card) this.leave();
    else if (this.panel) this.panel = null;
    else if (this.sheetStep && parts.sheet.pending.length) this.dropCurve();
    else if (this.sheetStep && this.sheetTool !== 'edit') this.setSheetTool('edit');
    else if (this.sheetStep) this.closeSheet();
  },
  key(event) {
    const typing = event.target.closest('input, select, textarea');
    if (event.key === 'Escape') return this.escape();
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !typing) {
      event.preventDefault();
      return this.history(event.shiftKey ? 'redo' : 'undo');
    }
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'Enter') {
      if (this.sheetStep && parts.sheet.pending.length) {
        event.preventDefault();
        this.endCurve();
      } else if (this.card && !event.target.closest('button')) this.accept();
      return;
    }
    if (event.key === '/') {
      event.preventDefault();
      return this.openFinder();
    }
    if (event.key === '?') {
      location.href = '/keys';
      return;
    }
    if (event.key === 'o') return this.look('whole');
    if (this.sheetStep) {
      const tool = event.key === 'e' ? { kind: 'edit' } : this.curveKinds.find((t) => t.key === event.key);
      if (tool) return this.setSheetTool(tool.kind);
      if (event.key === 'm') {
        this.showComb = !this.showComb;
        return this.redrawSheet();
      }
      if (event.key === 'g') {
        this.showPolygon = !this.showPolygon;
        return this.redrawSheet();
      }
      if ((event.key === 'Delete' || event.key === 'Backspace') && this.pickedPoint()) return this.removePoint();
    }
    const tool = descriptions.steps.find((d) => d.key === event.key);
    if (tool) this.begin(tool.kind);
  },
});
