//! How two sections run along each other.

/// Shares of two sections that belong together; between them the one runs as evenly as the other. Beyond 0 and 1 they go
/// round again.
#[derive(Debug, Clone, Default)]
pub(super) struct Law {
    /// Rising, once round without where that ends.
    anchors: Vec<[f64; 2]>,
}

impl Law {
    pub fn is_empty(&self) -> bool {
        self.anchors.is_empty()
    }

    /// Through shares in the order in which they come.
    pub fn through(anchors: Vec<[f64; 2]>) -> Self {
        Self { anchors }
    }

    /// Of the other section first.
    pub fn swapped(mut self) -> Self {
        self.anchors.iter_mut().for_each(|a| a.reverse());
        self
    }

    /// From a share of the one (`0`) or of the other (`1`) to that of the other one.
    pub fn carried(&self, share: f64, from: usize) -> f64 {
        let (x, y) = (from, 1 - from);
        let Some(first) = self.anchors.first() else { return share };
        let round = (share - first[x]).floor();
        let within = share - round;
        let k = self.anchors.partition_point(|a| a[x] <= within).max(1);
        let (a, b) = (self.anchors[k - 1], self.after(k));
        let width = b[x] - a[x];
        let part = if width > 0.0 { ((within - a[x]) / width).clamp(0.0, 1.0) } else { 0.5 };
        round + a[y] + (b[y] - a[y]) * part
    }

    /// Makes two more shares belong together, if they come in order with the others.
    pub fn put(&mut self, pair: [f64; 2]) {
        let Some(first) = self.anchors.first() else {
            self.anchors.push(pair);
            return;
        };
        let round = (pair[0] - first[0]).floor();
        let own = pair[0] - round;
        let there = self.carried(own, 0);
        let own = [own, pair[1] + (there - pair[1]).round()];
        // Where the first one comes again is before it too.
        for own in [own, own.map(|o| o + 1.0)] {
            let at = self.anchors.partition_point(|a| a[0] <= own[0]);
            let (before, next) = (self.anchors[at - 1], self.after(at));
            let in_order = (0..2).all(|k| before[k] <= own[k] && own[k] <= next[k]);
            if in_order && own != before && own != next {
                self.anchors.insert(at, own);
                return;
            }
        }
    }

    fn after(&self, k: usize) -> [f64; 2] {
        self.anchors.get(k).copied().unwrap_or_else(|| self.anchors[0].map(|a| a + 1.0))
    }
}
