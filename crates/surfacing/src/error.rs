use geometry::GeometryError;
use topology::TopologyError;

/// Why a construction could not be made; `at` is a place in space, in millimetres.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SurfacingError {
    /// A curve or surface could not be made.
    #[error(transparent)]
    Geometry(#[from] GeometryError),
    /// The shell could not be put together.
    #[error(transparent)]
    Topology(#[from] TopologyError),
    /// There is no curve to work on.
    #[error("there is no curve to work on; draw one first")]
    Empty,
    /// The curves do not form one chain.
    #[error(
        "the curves fall apart: the nearest loose ends are {gap:.3} mm apart; move them together, or pick one curve"
    )]
    NotOneChain {
        /// Smallest distance between loose ends, in millimetres.
        gap: f64,
        /// Where.
        at: [f64; 3],
    },
    /// More than two curve ends meet at one place.
    #[error("{count} curve ends meet at one place, so that the chain branches; remove or move one of them")]
    Branches {
        /// How many ends meet.
        count: usize,
        /// Where.
        at: [f64; 3],
    },
    /// A profile does not lie in a plane with the axis.
    #[error(
        "the profile leaves the plane of the axis by {distance:.3} mm; draw it on a plane through the axis, or pick another axis"
    )]
    NotWithAxis {
        /// How far, in millimetres.
        distance: f64,
        /// Where.
        at: [f64; 3],
    },
    /// All of a profile lies on the axis.
    #[error(
        "the profile lies on the axis, so that turning it makes no surface; move it off the axis or pick another axis"
    )]
    OnAxis {
        /// Where.
        at: [f64; 3],
    },
    /// A profile crosses the axis at an end, by a little.
    #[error(
        "the profile's end is {distance:.3} mm beyond the axis; a turn would overlap there; put it on the axis"
    )]
    EndBeyondAxis {
        /// Whether it is the chain's start.
        start: bool,
        /// How far beyond, in millimetres.
        distance: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A profile crosses or touches the axis away from its ends.
    #[error("the profile crosses the axis; keep all of it on one side, with at most its ends on the axis")]
    CrossesAxis {
        /// Where.
        at: [f64; 3],
    },
    /// A profile crosses itself.
    #[error("the profile crosses itself; move its points until it does not")]
    CrossesItself {
        /// Where.
        at: [f64; 3],
    },
    /// A turn's angle is unusable.
    #[error("a turn of {degrees:.6} deg makes no surface; give more than 0 and at most 360 deg")]
    Angle {
        /// The angle in degrees.
        degrees: f64,
    },
    /// A flat-sided turn has too few or too many sides.
    #[error("{0} sides make no closed shape; give 3 to 360")]
    Sides(usize),
    /// A closed profile that is turned part of the way cannot get a wall.
    #[error(
        "a closed profile turned part of the way has no room for a wall with open ends; turn it all the way, or open the profile"
    )]
    RingPartWay {
        /// Where.
        at: [f64; 3],
    },
    /// A wall has no thickness.
    #[error("the wall has no thickness; give more than 0 mm on at least one side")]
    NoThickness,
    /// A wall is thicker than the shape leaves room for.
    #[error("a wall of {asked:.3} mm does not fit: {why}; {down:.3} mm in all would fit here", down = (fits * 1e3).floor() / 1e3)]
    TooThick {
        /// Total thickness asked for, in millimetres.
        asked: f64,
        /// Largest total thickness that was found to fit, in millimetres.
        fits: f64,
        /// What goes wrong.
        why: String,
        /// Where.
        at: [f64; 3],
    },
    /// The thickness changes more than twice about a vertex.
    #[error(
        "both thicknesses meet crosswise at this corner; give the faces on one side of it the same thickness"
    )]
    StepsCross {
        /// Where.
        at: [f64; 3],
    },
    /// A ramp between two thicknesses is wider than the faces leave room for.
    #[error("a ramp of {asked:.3} mm has no room here; {}a step would fit", fits.map_or(String::new(), |f| format!("{:.3} mm or ", (f * 1e3).floor() / 1e3)))]
    RampTooWide {
        /// Width asked for, in millimetres.
        asked: f64,
        /// Largest width that was found to fit, in millimetres.
        fits: Option<f64>,
        /// Where.
        at: [f64; 3],
    },
    /// An offset is farther than the shape leaves room for.
    #[error("an offset by {asked:.3} mm does not fit: {why}; {down:.3} mm would fit here", down = (fits * 1e3).trunc() / 1e3)]
    TooFar {
        /// The distance asked for, in millimetres; below 0 to the inner side.
        asked: f64,
        /// The farthest one on that side that was found to fit, in millimetres.
        fits: f64,
        /// What goes wrong.
        why: String,
        /// Where.
        at: [f64; 3],
    },
    /// An edge with more than two faces, for which no side is the outer one.
    #[error("more than two faces meet along this edge; separate them first")]
    ManyFaces {
        /// On the edge.
        at: [f64; 3],
    },
    /// An edge over which a surface cannot simply go on.
    #[error(
        "this edge is not a natural border of its face, which was trimmed; restore the face first, or pick another edge"
    )]
    NotABorder {
        /// On the edge.
        at: [f64; 3],
    },
    /// Faces that do not close over a place where others were.
    #[error(
        "the faces beside it do not close here, however far they are extended; leave it open and patch it, or take more faces away"
    )]
    CannotHeal {
        /// Where they stay open.
        at: [f64; 3],
    },
    /// A surface that does not close the place of a face.
    #[error(
        "the new surface and the faces beside it do not meet all round: here it is {apart:.3} mm off the edge, {short:.3} mm of that beyond its own border; make it larger, or move it nearer"
    )]
    CannotSwap {
        /// How far the edge is from it, in millimetres.
        apart: f64,
        /// How much of that is along the surface, beyond its border, in millimetres.
        short: f64,
        /// On the edge.
        at: [f64; 3],
    },
    /// A border beyond which a surface cannot be made longer.
    #[error(
        "the surface ends in a point here, closes on itself, or bends back beyond; it cannot be made longer over this edge"
    )]
    CannotGoOn {
        /// On the border.
        at: [f64; 3],
    },
    /// An extension that does not reach what it should end at.
    #[error(
        "it never arrives there, however long it is made; pick something that it runs into, or go on the other way"
    )]
    NeverArrives {
        /// At the border of the longest one that was tried.
        at: [f64; 3],
    },
    /// Offset faces that do not close up any more.
    #[error(
        "the offset faces do not meet here any more; use a smaller distance, or round the corner off first"
    )]
    OffsetOpen {
        /// Where.
        at: [f64; 3],
    },
    /// A wall that comes upon another part of itself.
    #[error("the wall runs into another part of itself here; make it thinner, or the shape wider")]
    RunsIntoItself {
        /// Where.
        at: [f64; 3],
    },
    /// An offset surface that could not be fitted.
    #[error(
        "the offset of this face stays {deviation:.4} mm off the true one; it has a kink inside, or bends too tightly; split it there"
    )]
    OffsetRough {
        /// Largest deviation, in millimetres.
        deviation: f64,
        /// On the face.
        at: [f64; 3],
    },
    /// A helix's values make no curve.
    #[error("this helix cannot be made: {why}; change its radii, height or turns")]
    Winding {
        /// What is wrong.
        why: &'static str,
        /// Where it would begin.
        at: [f64; 3],
    },
    /// Two views look the same way.
    #[error(
        "the two views lie in parallel planes, so that nothing crosses; pick drawings on two different planes"
    )]
    ParallelViews,
    /// Two views share no height.
    #[error("the {} view has no part at the heights of the other one; move them to the same range", ["first", "second"][*view])]
    NoPartner {
        /// 0 for the first view, 1 for the second.
        view: usize,
        /// Where it begins.
        at: [f64; 3],
    },
    /// Neither view rises or falls all the way.
    #[error(
        "both views turn back, so that a place of one has several partners in the other; split one of them here"
    )]
    BothTurn {
        /// Where the second view turns.
        at: [f64; 3],
    },
    /// An extrusion has no length.
    #[error("this cannot be extruded: {why}; give a length, or another direction")]
    NoLength {
        /// What is wrong.
        why: &'static str,
        /// Where.
        at: [f64; 3],
    },
    /// A section has no way to go on.
    #[error("{why}")]
    NoWay {
        /// What is wrong, and what to do.
        why: &'static str,
        /// Where.
        at: [f64; 3],
    },
    /// A loft has too few sections.
    #[error("{given} sections make no surface; pick at least {needed}")]
    TooFewSections {
        /// How many there are.
        given: usize,
        /// How many are needed.
        needed: usize,
    },
    /// Open sections among closed ones.
    #[error("section {section} is {}, the ones before it are {}; close or open it, or leave it out", word(*closed), word(!*closed))]
    MixedSections {
        /// Which, counted from 1.
        section: usize,
        /// Whether this one is closed.
        closed: bool,
        /// Where it begins.
        at: [f64; 3],
    },
    /// A point between sections.
    #[error("section {section} is a point; a loft can run into a point only at its first or last section")]
    PointInside {
        /// Which, counted from 1.
        section: usize,
        /// Where.
        at: [f64; 3],
    },
    /// Two sections touch or cross.
    #[error("sections {} and {} meet here, so that the surface would fold onto itself; move them apart", sections[0], sections[1])]
    SectionsTouch {
        /// Which, counted from 1.
        sections: [usize; 2],
        /// Where.
        at: [f64; 3],
    },
    /// Places of sections that are joined by hand come in another order along one of them.
    #[error("pairing lines {} and {} cross or meet at section {section}; drag one of them back, or take it out", pairs[0], pairs[1])]
    PairsCross {
        /// Which, counted from 1.
        pairs: [usize; 2],
        /// At which section, counted from 1.
        section: usize,
        /// Where.
        at: [f64; 3],
    },
    /// A section to whose plane a surface is to be square lies in none.
    #[error(
        "section {section} is straight or lies in no plane, so that there is none to be square to; pick a drawing, or leave this end free"
    )]
    SectionNoPlane {
        /// Which, counted from 1.
        section: usize,
        /// Where.
        at: [f64; 3],
    },
    /// A sweep is tighter than its section.
    #[error(
        "the path bends with radius {radius:.3} mm here, and the section reaches beyond that, so that the sweep would fold; make the section smaller or the bend wider"
    )]
    TooTight {
        /// The path's radius in millimetres.
        radius: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A closed sweep does not end as it began.
    #[error(
        "after one round the section is {distance:.3} mm off where it began; give a twist of whole turns and size 1, or open the path"
    )]
    NotBack {
        /// How far off, in millimetres.
        distance: f64,
        /// Where it began.
        at: [f64; 3],
    },
    /// Sections go forth and back.
    #[error("the sections go back on themselves from section {section} on; put them in order")]
    OutOfOrder {
        /// Which, counted from 1.
        section: usize,
        /// An order that goes on, of the sections as they are counted now.
        order: Vec<usize>,
        /// Where it is.
        at: [f64; 3],
    },
    /// A guide does not cross a section.
    #[error(
        "guide {guide} misses section {section} by {distance:.3} mm; pin a point of the section to the guide, or move one of them"
    )]
    GuideMisses {
        /// Which guide, counted from 1.
        guide: usize,
        /// Which section, counted from 1.
        section: usize,
        /// By how much, in millimetres.
        distance: f64,
        /// The section's place nearest to it.
        at: [f64; 3],
    },
    /// A guide crosses the sections in another order.
    #[error(
        "guide {guide} does not come to section {section} after the one before it; turn the order of the sections, or split the guide"
    )]
    GuideTurns {
        /// Which guide, counted from 1.
        guide: usize,
        /// Which section, counted from 1.
        section: usize,
        /// Where.
        at: [f64; 3],
    },
    /// A guide that leaves an end otherwise than that end is to be left.
    #[error(
        "guide {guide} leaves the {} section {degrees:.1} deg off the way that is asked for there; turn the guide's end, or leave that end free",
        if *last { "last" } else { "first" }
    )]
    GuideLeaves {
        /// Which guide, counted from 1.
        guide: usize,
        /// Whether it is at the last section, and not the first one.
        last: bool,
        /// The angle in degrees.
        degrees: f64,
        /// Where.
        at: [f64; 3],
    },
    /// Sections whose control points do not pair up.
    #[error("section {section} has {} control points and the first one {}, or they differ in degree; recast one of them, or choose another way", counts[1], counts[0])]
    UnequalRows {
        /// Which section, counted from 1.
        section: usize,
        /// Control points of the first section and of this one.
        counts: [usize; 2],
        /// Where it begins.
        at: [f64; 3],
    },
    /// A section does not lie on the surface that it is to agree with.
    #[error(
        "the {} section lies {distance:.3} mm off the face that it is to agree with; pick the edge itself, or another face", if *last { "last" } else { "first" }
    )]
    OffNeighbour {
        /// Whether it is the last section, and not the first.
        last: bool,
        /// How far, in millimetres.
        distance: f64,
        /// Where.
        at: [f64; 3],
    },
    /// Two sections at one place of a path.
    #[error("two sections stand at the same place of the path; move one of them along it")]
    SamePlace {
        /// Where.
        at: [f64; 3],
    },
    /// A section changes on its way through a mitred corner.
    #[error(
        "a section that turns, grows or changes cannot be mitred at this corner; round the corner, or sweep each leg by itself"
    )]
    CornerTurns {
        /// Where.
        at: [f64; 3],
    },
    /// A leg bends where a mitre would cut it.
    #[error(
        "the path bends within {reach:.3} mm of this corner, where the mitre of this section reaches; round the corner, or make the section smaller"
    )]
    CornerBent {
        /// How far the mitre reaches along the path, in millimetres.
        reach: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A leg is too short for the mitres at its ends.
    #[error(
        "this leg of the path is {length:.3} mm long, too short for the mitres at its ends; make the section smaller or the leg longer"
    )]
    CornerShort {
        /// Its length in millimetres.
        length: f64,
        /// Its middle.
        at: [f64; 3],
    },
    /// A path runs back on itself.
    #[error("the path turns back on itself here; move the corner, or split the path")]
    CornerBack {
        /// Where.
        at: [f64; 3],
    },
    /// Two curves of a network do not cross.
    #[error(
        "curve {first} of the first family and curve {second} of the second one miss each other by {distance:.3} mm; bring them together, or allow a wider gap"
    )]
    NetworkMisses {
        /// Which curve of the first family, counted from 1.
        first: usize,
        /// Which curve of the second family, counted from 1.
        second: usize,
        /// By how much, in millimetres.
        distance: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A fillet or chamfer that is larger than the faces beside it leave room for.
    #[error("a size of {size:.3} mm does not fit here: the faces beside it end, or bend, too soon{}", room(*fits))]
    FilletTooLarge {
        /// The radius or distance, in millimetres.
        size: f64,
        /// Where.
        at: [f64; 3],
        /// The largest that was found to fit, in millimetres.
        fits: Option<f64>,
    },
    /// A fillet or chamfer of no size.
    #[error("a size of {size:.3} mm rounds nothing; give more than 0 mm")]
    NoSize {
        /// The radius or distance, in millimetres.
        size: f64,
    },
    /// Two surfaces that no ball touches at once.
    #[error(
        "no ball of this radius touches both surfaces on these sides; give another radius, choose the other side of one of them, or extend them"
    )]
    NothingBetween {
        /// A place of the first surface.
        at: [f64; 3],
    },
    /// Three surfaces that no ball touches at once.
    #[error(
        "no ball touches all three on these sides; choose the other sides, or another face between the two"
    )]
    NoFullRound {
        /// A place of the first surface.
        at: [f64; 3],
    },
    /// A fillet that ends inside a surface, so that it does not part it.
    #[error(
        "the fillet ends inside the {} surface, so that it cannot be trimmed by it; extend the other surface, or leave this one as it is", ["first", "second"][*which]
    )]
    FilletEndsInside {
        /// 0 or 1.
        which: usize,
        /// Where.
        at: [f64; 3],
    },
    /// Edges of a surface at which no ball touches that and another one.
    #[error(
        "no ball that touches the first surface along these edges touches the second one too on these sides; choose the other side of one of them, or extend the second"
    )]
    HeldNowhere {
        /// Where.
        at: [f64; 3],
    },
    /// A ball that follows an edge and touches another surface in two places at once.
    #[error(
        "the ball that follows these edges touches the second surface in two places at once here; hold the fillet to other edges, or give a radius"
    )]
    HeldJumps {
        /// Where.
        at: [f64; 3],
    },
    /// A fillet between faces of one shape that another face of it reaches through.
    #[error(
        "another face is in the way of the ball here; give a larger radius, or take that face away first"
    )]
    FilletObstructed {
        /// Where the fillet touches next to it.
        at: [f64; 3],
    },
    /// A fillet between faces of one shape that the faces at its ends could not be cut against.
    #[error(
        "the fillet cannot be cut off cleanly where it ends; give another radius, or trim the shape beyond its end first"
    )]
    FilletEndRough {
        /// One of its ends.
        at: [f64; 3],
    },
    /// An outline that leaves the face that it is to lie in.
    #[error(
        "the outline runs over the edge of the face here, or beyond its surface; keep it inside, or pick another face"
    )]
    OutlineOverEdge {
        /// Where.
        at: [f64; 3],
    },
    /// Edges that cannot be led out together.
    #[error(
        "the ways out of these edges run into each other or end here; lead out the edges at this corner one by one, less far, or another way"
    )]
    LeadOutMeets {
        /// Where.
        at: [f64; 3],
    },
    /// Sides for which there is no room.
    #[error(
        "the sides run into each other here; give less height, a smaller angle or width, or a rounder outline"
    )]
    RaisedFolds {
        /// Where.
        at: [f64; 3],
    },
    /// A vertex at which strips along edges do not come together.
    #[error(
        "the edges at this corner cannot be rounded together; pick all that meet here, only one of them, or take another size"
    )]
    FilletCorner {
        /// Where.
        at: [f64; 3],
    },
    /// A vertex at which the faces on either side of a chain change at different places.
    #[error(
        "the faces on either side change at different places here; round the edges before and after by themselves"
    )]
    FilletSides {
        /// Where.
        at: [f64; 3],
    },
    /// Edges of unlike radii that go on into each other.
    #[error(
        "the size would jump from {:.3} mm to {:.3} mm here, where edges go on smoothly into each other; let both be the same here, or let it change along them",
        sizes[0],
        sizes[1]
    )]
    FilletSizes {
        /// Their radii or distances there, in millimetres.
        sizes: [f64; 2],
        /// Where.
        at: [f64; 3],
    },
    /// A rounding that nothing ends, since the next edge goes on almost straight.
    #[error(
        "the next edge goes on almost straight here, so that nothing ends the rounding; round that one too"
    )]
    FilletRunsOn {
        /// The vertex between them.
        at: [f64; 3],
    },
    /// An edge whose faces meet smoothly, or in both ways.
    #[error(
        "the faces on either side meet smoothly here, so that there is no edge to round; pick another edge"
    )]
    SmoothEdge {
        /// On the edge.
        at: [f64; 3],
    },
    /// An edge without two faces.
    #[error("this edge has no face on one side; join the shell first, or pick an edge between two faces")]
    FilletFree {
        /// On the edge.
        at: [f64; 3],
    },
    /// Two curves of a network cross twice.
    #[error(
        "curve {first} of the first family and curve {second} of the second one cross twice; split one of them, or take one out"
    )]
    NetworkTwice {
        /// Which curve of the first family, counted from 1.
        first: usize,
        /// Which curve of the second family, counted from 1.
        second: usize,
        /// One of the places.
        at: [f64; 3],
        /// The other one.
        also: [f64; 3],
    },
    /// A curve of a network that is to take over from a face, but is not outermost.
    #[error("curve {curve} of the {} family runs inside the network, where no face can be taken over; choose position for it", ["first", "second"][*family - 1])]
    NetworkInside {
        /// 1 or 2.
        family: usize,
        /// Which curve of it, counted from 1.
        curve: usize,
        /// Where.
        at: [f64; 3],
    },
    /// A curve of a network crosses the others in another order than its neighbours do.
    #[error("curve {curve} of the {} family crosses the others in another order than its neighbours, or at one place twice; move it", ["first", "second"][*family - 1])]
    NetworkOrder {
        /// 1 or 2.
        family: usize,
        /// Which curve of it, counted from 1.
        curve: usize,
        /// Where.
        at: [f64; 3],
    },
    /// A change of a control point that is not there.
    #[error(
        "change {change} is of a control point that is not there: the net has {rows} rows and {columns} columns; pick others, or take the change out"
    )]
    NoSuchPoint {
        /// Which change, counted from 1.
        change: usize,
        /// Rows of the net.
        rows: usize,
        /// Columns of the net.
        columns: usize,
    },
    /// Too many control points.
    #[error("that would be more than {most} control points in one direction; ask for fewer")]
    TooManyPoints {
        /// How many are allowed.
        most: usize,
    },
    /// A net without its likeness on the other side of a plane.
    #[error(
        "the control points are up to {distance:.4} mm off their likeness on the other side of the plane; choose the plane of their symmetry, or take the mirror out"
    )]
    NotSymmetric {
        /// By how much, in millimetres.
        distance: f64,
        /// The point that is off most.
        at: [f64; 3],
    },
    /// Edges of a patch that do not close.
    #[error(
        "the edges of the patch are open by {gap:.3} mm here; add the edge that is missing, or bring the ends together"
    )]
    PatchGap {
        /// How far the nearest loose ends are apart, in millimetres.
        gap: f64,
        /// A loose end.
        at: [f64; 3],
    },
    /// Tangent planes of two faces beside a patch disagree at a corner.
    #[error("the faces beside edges {} and {} disagree by {degrees:.2} deg at this corner, so that nothing is tangent to both; choose position for one of them, or mend the faces", edges[0], edges[1])]
    CornerDisagrees {
        /// The edges, counted from 1.
        edges: [usize; 2],
        /// By how much, in degrees.
        degrees: f64,
        /// The corner.
        at: [f64; 3],
    },
    /// A patch's boundary folds over itself from every side.
    #[error(
        "this boundary cannot be seen whole from one side, nor rolled out without crossing itself; split it by a curve and patch each part"
    )]
    PatchHidden {
        /// A place of it.
        at: [f64; 3],
    },
    /// An inner curve or point that lies outside.
    #[error(
        "a curve or point to pass through lies outside the edges of the patch; move it inside, or take it out"
    )]
    PatchPointOutside {
        /// Where.
        at: [f64; 3],
    },
    /// An inner point far off.
    #[error(
        "this point lies {distance:.1} mm off the edges of a patch that is {size:.1} mm across; move it nearer, or take it out"
    )]
    PatchPointFar {
        /// How far, in millimetres.
        distance: f64,
        /// The patch's size.
        size: f64,
        /// The point.
        at: [f64; 3],
    },
    /// Rails run opposite ways.
    #[error("the two rails run opposite ways; reverse one of them")]
    RailsOpposite {
        /// Where the second one begins.
        at: [f64; 3],
    },
    /// Rails come together.
    #[error(
        "the two rails come together here, so that nothing fits between them; end them before, or move them apart"
    )]
    RailsMeet {
        /// Where.
        at: [f64; 3],
    },
    /// Rails whose control points do not pair up.
    #[error("the rails have {} and {} control points, other knots, or weights; recast one of them, or leave the structure to the fit", counts[0], counts[1])]
    RailsDiffer {
        /// Control points of either.
        counts: [usize; 2],
        /// Where the second one begins.
        at: [f64; 3],
    },
    /// A section's end is not on its rail.
    #[error("section {section} ends {distance:.3} mm off rail {rail}; pin its end to the rail")]
    SectionOffRail {
        /// Which section, counted from 1.
        section: usize,
        /// Which rail, 1 or 2.
        rail: usize,
        /// How far, in millimetres.
        distance: f64,
        /// The section's end.
        at: [f64; 3],
    },
    /// A draft is no slope.
    #[error("a draft of {degrees:.3} deg makes no side; keep it between -80 and 80 deg")]
    DraftTooSteep {
        /// The angle in degrees.
        degrees: f64,
        /// Where the outline begins.
        at: [f64; 3],
    },
    /// An outline has no room for its draft.
    #[error("at a height of {height:.3} mm the draft swallows a piece of the outline; at most {down:.3} mm fits, or a smaller draft", down = (fits * 1e3).floor() / 1e3)]
    DraftSwallows {
        /// The height in millimetres.
        height: f64,
        /// The largest height that was found to fit.
        fits: f64,
        /// Where.
        at: [f64; 3],
    },
    /// Outlines would make several solids.
    #[error(
        "these outlines lie side by side and would make several solids; make one of each, picking its curve alone"
    )]
    SideBySide {
        /// Where another one is.
        at: [f64; 3],
    },
    /// An outline leaves its plane.
    #[error("the outline leaves the plane by {distance:.3} mm; pick one that is flat")]
    NotFlat {
        /// How far, in millimetres.
        distance: f64,
        /// Where.
        at: [f64; 3],
    },
    /// An outline does not close.
    #[error("the outline is open by {gap:.3} mm; close it")]
    OpenOutline {
        /// How far its ends are apart, in millimetres.
        gap: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A curve's image on a surface is missing somewhere.
    #[error("a part of the curve misses the surface; shorten the curve or choose another direction")]
    Misses {
        /// The place of the curve.
        at: [f64; 3],
    },
}

fn room(fits: Option<f64>) -> String {
    let down = |f: f64| format!("; at most {:.3} mm fits", (f * 1e3).floor() / 1e3);
    fits.map_or_else(|| "; give less".into(), down)
}

fn word(closed: bool) -> &'static str {
    if closed { "closed" } else { "open" }
}

impl SurfacingError {
    /// The place in space that the error is about, if it has one.
    #[must_use]
    pub fn place(&self) -> Option<[f64; 3]> {
        match self {
            Self::NotOneChain { at, .. }
            | Self::Branches { at, .. }
            | Self::NotWithAxis { at, .. }
            | Self::OnAxis { at }
            | Self::EndBeyondAxis { at, .. }
            | Self::CrossesAxis { at }
            | Self::CrossesItself { at }
            | Self::RingPartWay { at }
            | Self::TooThick { at, .. }
            | Self::TooFar { at, .. }
            | Self::RampTooWide { at, .. }
            | Self::StepsCross { at }
            | Self::CannotSwap { at, .. }
            | Self::ManyFaces { at }
            | Self::NotABorder { at }
            | Self::FilletTooLarge { at, .. }
            | Self::FilletCorner { at }
            | Self::OutlineOverEdge { at }
            | Self::RaisedFolds { at }
            | Self::NothingBetween { at }
            | Self::HeldNowhere { at }
            | Self::HeldJumps { at }
            | Self::NoFullRound { at }
            | Self::FilletEndsInside { at, .. }
            | Self::FilletObstructed { at }
            | Self::FilletEndRough { at }
            | Self::FilletSides { at }
            | Self::FilletSizes { at, .. }
            | Self::FilletRunsOn { at }
            | Self::SmoothEdge { at }
            | Self::FilletFree { at }
            | Self::CannotGoOn { at }
            | Self::CannotHeal { at }
            | Self::NeverArrives { at }
            | Self::OffsetOpen { at }
            | Self::RunsIntoItself { at }
            | Self::OffsetRough { at, .. }
            | Self::Winding { at, .. }
            | Self::NoPartner { at, .. }
            | Self::BothTurn { at }
            | Self::NoLength { at, .. }
            | Self::NoWay { at, .. }
            | Self::OutOfOrder { at, .. }
            | Self::PairsCross { at, .. }
            | Self::LeadOutMeets { at }
            | Self::SectionNoPlane { at, .. }
            | Self::GuideMisses { at, .. }
            | Self::GuideTurns { at, .. }
            | Self::GuideLeaves { at, .. }
            | Self::UnequalRows { at, .. }
            | Self::OffNeighbour { at, .. }
            | Self::SamePlace { at, .. }
            | Self::CornerTurns { at, .. }
            | Self::CornerBent { at, .. }
            | Self::CornerShort { at, .. }
            | Self::CornerBack { at, .. }
            | Self::RailsOpposite { at, .. }
            | Self::NetworkMisses { at, .. }
            | Self::NetworkOrder { at, .. }
            | Self::NetworkTwice { at, .. }
            | Self::NetworkInside { at, .. }
            | Self::RailsMeet { at, .. }
            | Self::PatchGap { at, .. }
            | Self::NotSymmetric { at, .. }
            | Self::CornerDisagrees { at, .. }
            | Self::PatchHidden { at }
            | Self::PatchPointOutside { at }
            | Self::PatchPointFar { at, .. }
            | Self::RailsDiffer { at, .. }
            | Self::SectionOffRail { at, .. }
            | Self::DraftTooSteep { at, .. }
            | Self::DraftSwallows { at, .. }
            | Self::SideBySide { at }
            | Self::NotBack { at, .. }
            | Self::TooTight { at, .. }
            | Self::MixedSections { at, .. }
            | Self::PointInside { at, .. }
            | Self::SectionsTouch { at, .. }
            | Self::NotFlat { at, .. }
            | Self::OpenOutline { at, .. }
            | Self::Misses { at }
            | Self::Topology(
                TopologyError::EdgeOffVertex { at, .. }
                | TopologyError::AcrossSeam { at }
                | TopologyError::Unresolved { at }
                | TopologyError::Unfollowed { at, .. },
            ) => Some(*at),
            Self::Geometry(e) | Self::Topology(TopologyError::Geometry(e)) => e.place(),
            _ => None,
        }
    }
}
