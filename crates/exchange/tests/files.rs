//! Files against the facts of their formats. Reading them back with other libraries is `scripts/crosscheck`.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{FRAC_PI_2, FRAC_PI_4, PI, TAU};
use std::io::{Cursor, Read};

use exchange::glb::{self, SceneBody};
use exchange::{ExchangeError, Export, Format, NamedBody};
use geometry::{Axis, Frame, NurbsCurve, Point3, Tolerance, Vector3, circle_arc};
use surfacing::{FlatMeasure, Outside, Turn, revolve};
use topology::{Body, MeshTolerance};

/// A square prism, 20 mm across flats and 7 mm high; open without its lid.
fn prism(with_lid: bool) -> Body {
    let p = |r: f64, z: f64| Point3::new(r, 0.0, z);
    let corners = [p(0.0, 0.0), p(10.0, 0.0), p(10.0, 7.0), p(0.0, 7.0)];
    let kept = if with_lid { &corners[..] } else { &corners[..3] };
    let curves: Vec<_> =
        kept.windows(2).map(|w| (NurbsCurve::line(w[0], w[1]), "side's".to_string())).collect();
    let axis = Axis::new(Point3::origin(), Vector3::z()).unwrap();
    let turn = Turn::FlatSided { sides: 4, measure: FlatMeasure::Flats };
    revolve(&curves, &axis, turn, true, (Outside::RightOfProfile, false), &Tolerance::default()).unwrap().body
}

fn write(body: &Body, format: Format, chord: f64) -> Result<Vec<u8>, ExchangeError> {
    Export { part: "Prism <&> é", bodies: vec![NamedBody { name: "Prism", body: body.clone() }], chord }
        .write(format)
}

#[test]
fn stl_has_its_size_and_outward_normals() {
    // FF-01: 84 + 50 n bytes; FF-02: not to be taken for the text form.
    let bytes = write(&prism(true), Format::Stl, 0.1).unwrap();
    let n = u32::from_le_bytes(bytes[80..84].try_into().unwrap()) as usize;
    assert_eq!(bytes.len(), 84 + 50 * n);
    assert!(!bytes.starts_with(b"solid"));
    let float = |at: usize| f32::from_le_bytes(bytes[at..at + 4].try_into().unwrap());
    for k in 0..n {
        let v: Vec<f32> = (0..12).map(|i| float(84 + 50 * k + 4 * i)).collect();
        let centre: Vec<f32> = (0..3).map(|i| (v[3 + i] + v[6 + i] + v[9 + i]) / 3.0).collect();
        // The prism is convex about (0, 0, 3.5).
        assert!(v[0] * centre[0] + v[1] * centre[1] + v[2] * (centre[2] - 3.5) > 0.0);
    }
}

#[test]
fn three_mf_is_a_package_with_its_parts() {
    // FF-03, FF-04: 3MF Core Specification 1.x, OPC (ECMA-376 Part 2).
    let bytes = write(&prism(true), Format::ThreeMf, 0.1).unwrap();
    let mut zip = zip::ZipArchive::new(Cursor::new(bytes)).unwrap();
    let mut names: Vec<String> =
        (0..zip.len()).map(|i| zip.by_index(i).unwrap().name().unwrap().to_string()).collect();
    names.sort();
    assert_eq!(names, ["3D/3dmodel.model", "[Content_Types].xml", "_rels/.rels"]);
    let mut model = String::new();
    zip.by_name("3D/3dmodel.model").unwrap().read_to_string(&mut model).unwrap();
    assert!(model.contains("unit=\"millimeter\""));
    assert!(model.contains("http://schemas.microsoft.com/3dmanufacturing/core/2015/02"));
    assert!(model.contains("Prism &lt;&amp;&gt; é"));
    let order = [
        "<model",
        "<resources",
        "<object",
        "<mesh",
        "<vertices",
        "<vertex ",
        "<triangles",
        "<triangle ",
        "<build",
        "<item",
    ];
    let places: Vec<usize> = order.iter().map(|e| model.find(e).unwrap()).collect();
    assert!(places.is_sorted());
    // A square prism, its two ends of four triangles each and its sides of two: 5 + 5 corners.
    assert_eq!(model.matches("<vertex ").count(), 10);
    assert_eq!(model.matches("<triangle ").count(), 16);
}

#[test]
fn glb_is_a_well_formed_container() {
    // FF-05: ISO/IEC 12113, GLB file format.
    let body = SceneBody::new("s", "Prism", &prism(true), MeshTolerance::chord(0.1)).unwrap();
    let bytes = glb::write(&[body], &serde_json::json!({"note": "é"}));
    let word = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap());
    assert_eq!((word(0), word(4), word(8) as usize), (0x4654_6C67, 2, bytes.len()));
    let text = word(12) as usize;
    assert_eq!((word(16), text % 4), (0x4E4F_534A, 0));
    assert_eq!((word(20 + text + 4), word(20 + text) % 4), (0x004E_4942, 0));
    let document: serde_json::Value = serde_json::from_slice(&bytes[20..20 + text]).unwrap();
    assert_eq!(document["asset"]["version"], "2.0");
    assert_eq!(document["extras"]["note"], "é");
    let buffer = document["buffers"][0]["byteLength"].as_u64().unwrap();
    for view in document["bufferViews"].as_array().unwrap() {
        assert!(view["byteOffset"].as_u64().unwrap() + view["byteLength"].as_u64().unwrap() <= buffer);
    }
    // With nothing to show it is still a document.
    assert_eq!(glb::write(&[], &serde_json::Value::Null).len() % 4, 0);
}

#[test]
fn glb_carries_curvatures_where_they_are_asked_for() {
    // CV-02: a cylinder of radius 5 has K = 0 and |H| = 1 / 10; ISO/IEC 12113 wants names of one's own to begin with `_`.
    let wall = (NurbsCurve::line(Point3::new(5.0, 0.0, 0.0), Point3::new(5.0, 0.0, 8.0)), "wall".to_string());
    let axis = Axis::new(Point3::origin(), Vector3::z()).unwrap();
    let turn = Turn::Round { sweep: std::f64::consts::TAU };
    let tube = revolve(&[wall], &axis, turn, false, (Outside::RightOfProfile, false), &Tolerance::default())
        .unwrap()
        .body;
    let plain = SceneBody::new("s", "Tube", &tube, MeshTolerance::chord(0.1)).unwrap();
    for asked in [false, true] {
        let body = if asked { plain.clone().with_curvatures(&tube) } else { plain.clone() };
        let bytes = glb::write(&[body], &serde_json::Value::Null);
        let text = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
        let document: serde_json::Value = serde_json::from_slice(&bytes[20..20 + text]).unwrap();
        let attributes = &document["meshes"][0]["primitives"][0]["attributes"];
        let Some(accessor) = attributes["_CURVATURE"].as_u64().filter(|_| asked) else {
            assert!(!asked && attributes.get("_CURVATURE").is_none());
            continue;
        };
        let accessor = &document["accessors"][accessor as usize];
        assert_eq!(
            (accessor["type"].as_str(), accessor["componentType"].as_u64()),
            (Some("VEC2"), Some(5126))
        );
        let corners = &document["accessors"][attributes["POSITION"].as_u64().unwrap() as usize]["count"];
        assert_eq!(&accessor["count"], corners);
        let view = &document["bufferViews"][accessor["bufferView"].as_u64().unwrap() as usize];
        let start = 20 + text + 8 + view["byteOffset"].as_u64().unwrap() as usize;
        for k in 0..corners.as_u64().unwrap() as usize {
            let float = |i: usize| {
                let at = start + 8 * k + 4 * i;
                f32::from_le_bytes(bytes[at..at + 4].try_into().unwrap())
            };
            assert!(
                float(0).abs() < 1e-6 && (float(1).abs() - 0.1).abs() < 1e-6,
                "{} {}",
                float(0),
                float(1)
            );
        }
    }
}

#[test]
fn glb_carries_thicknesses_where_they_are_asked_for() {
    // A ball is as thick as it is wide all over.
    let frame = Frame::new(Point3::origin(), -Vector3::z(), Vector3::x()).unwrap();
    let profile = (circle_arc(&frame, 5.0, 0.0, std::f64::consts::PI).unwrap(), "side".to_string());
    let axis = Axis::new(Point3::origin(), Vector3::z()).unwrap();
    let turn = Turn::Round { sweep: std::f64::consts::TAU };
    let outside = (Outside::RightOfProfile, true);
    let ball = revolve(&[profile], &axis, turn, false, outside, &Tolerance::default()).unwrap().body;
    let coarse = SceneBody::new("s", "Ball", &ball, MeshTolerance::chord(0.5)).unwrap();
    let body = coarse.clone().with_thicknesses(&ball, 0.1);
    let count = |b: &SceneBody| b.meshes().map(|m| m.triangles().count()).sum::<usize>();
    assert!(count(&body) > count(&coarse));
    let bytes = glb::write(&[body], &serde_json::Value::Null);
    let text = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    let document: serde_json::Value = serde_json::from_slice(&bytes[20..20 + text]).unwrap();
    let primitive = &document["meshes"][0]["primitives"][0];
    let view_of = |accessor: &serde_json::Value| {
        let accessor = &document["accessors"][accessor.as_u64().unwrap() as usize];
        let view = &document["bufferViews"][accessor["bufferView"].as_u64().unwrap() as usize];
        (accessor.clone(), 20 + text + 8 + view["byteOffset"].as_u64().unwrap() as usize)
    };
    let (accessor, start) = view_of(&primitive["attributes"]["_THICKNESS"]);
    assert_eq!((accessor["type"].as_str(), accessor["componentType"].as_u64()), (Some("SCALAR"), Some(5126)));
    assert_eq!(accessor["count"], view_of(&primitive["attributes"]["POSITION"]).0["count"]);
    let (indices, first) = view_of(&primitive["indices"]);
    let four = |at: usize| <[u8; 4]>::try_from(&bytes[at..at + 4]).unwrap();
    for k in 0..indices["count"].as_u64().unwrap() as usize {
        let thick = f32::from_le_bytes(four(start + 4 * u32::from_le_bytes(four(first + 4 * k)) as usize));
        assert!((thick - 10.0).abs() < 1e-4, "{thick}");
    }
}

#[test]
fn step_has_the_frame_of_iso_10303_21() {
    // FF-15, FF-16.
    let text = String::from_utf8(write(&prism(true), Format::Step, 0.1).unwrap()).unwrap();
    assert!(text.starts_with("ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION("));
    assert!(text.ends_with("ENDSEC;\nEND-ISO-10303-21;\n"));
    assert!(text.contains(
        "FILE_SCHEMA(('AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 1 1 4 }'))"
    ));
    assert!(text.contains("SI_UNIT(.MILLI.,.METRE.)"));
    assert!(text.contains(r"'Prism <&> \X2\00E9\X0\'"));
    assert!(text.contains("'side''s"));
    assert_eq!(text.matches("=ADVANCED_FACE(").count(), 12);
    assert_eq!(text.matches("=PLANE(").count(), text.matches("=ADVANCED_FACE(").count());
    assert_eq!(text.matches("=MANIFOLD_SOLID_BREP(").count(), 1);
    let open = String::from_utf8(write(&prism(false), Format::Step, 0.1).unwrap()).unwrap();
    assert!(
        open.contains("=SHELL_BASED_SURFACE_MODEL(")
            && open.contains("MANIFOLD_SURFACE_SHAPE_REPRESENTATION")
    );
}

/// A chain that ends on the axis or is closed, turned into a solid.
fn turned(curves: Vec<NurbsCurve>, sweep: f64) -> Body {
    let named: Vec<_> = curves.into_iter().map(|c| (c, "side".to_string())).collect();
    let axis = Axis::new(Point3::origin(), Vector3::z()).unwrap();
    let body = revolve(
        &named,
        &axis,
        Turn::Round { sweep },
        true,
        (Outside::RightOfProfile, false),
        &Tolerance::default(),
    )
    .unwrap()
    .body;
    assert!(body.is_solid());
    body
}

/// A full turn as STEP text.
fn turned_step(curves: Vec<NurbsCurve>) -> String {
    String::from_utf8(write(&turned(curves, TAU), Format::Step, 0.1).unwrap()).unwrap()
}

/// For each face its surface's record and whether the two normals agree.
fn faces(step: &str) -> Vec<(String, bool)> {
    let record = |id: &str| step.lines().find_map(|l| l.strip_prefix(&format!("{id}="))).unwrap();
    let face = |line: &str| {
        let (_, arguments) = line.split_once("=ADVANCED_FACE('side',(")?;
        let (_, rest) = arguments.split_once("),")?;
        let (surface, sense) = rest.trim_end_matches(");").split_once(',')?;
        Some((record(surface).to_string(), sense == ".T."))
    };
    step.lines().filter_map(face).collect()
}

#[test]
fn elementary_surfaces_go_out_as_such_and_face_outwards() {
    // FF-12: CYLINDRICAL_SURFACE name position radius, CONICAL_SURFACE ... semi_angle, TOROIDAL_SURFACE ... minor_radius.
    // ISO 10303-42: normals of all four point away from axis, centre or tube; a face's away from the material.
    let p = |r: f64, z: f64| Point3::new(r, 0.0, z);
    let ring = [p(5.0, 0.0), p(10.0, 0.0), p(10.0, 7.0), p(8.0, 7.0), p(5.0, 0.0)];
    let ring: Vec<_> = ring.windows(2).map(|w| NurbsCurve::line(w[0], w[1])).collect();
    let backwards: Vec<_> = ring.iter().rev().map(NurbsCurve::reversed).collect();
    for chain in [ring, backwards] {
        let faces = faces(&turned_step(chain));
        assert_eq!(faces.len(), 4);
        let find = |kind: &str| faces.iter().find(|f| f.0.starts_with(kind)).unwrap();
        let (cylinder, outward) = find("CYLINDRICAL_SURFACE(");
        assert!(cylinder.ends_with(",10.);") && *outward, "{cylinder}");
        // The hole widens upwards, 3 mm over 7; its material lies outside it.
        let (cone, outward) = find("CONICAL_SURFACE(");
        let half_angle: f64 = cone.trim_end_matches(");").rsplit(',').next().unwrap().parse().unwrap();
        assert!((half_angle.tan() - 3.0 / 7.0).abs() < 1e-12 && !outward, "{cone}");
        assert_eq!(faces.iter().filter(|f| f.0.starts_with("PLANE(")).count(), 2);
    }
    let frame = Frame::new(p(3.0, 1.0), Vector3::x(), Vector3::z()).unwrap();
    let tube = circle_arc(&frame, 1.0, 0.3, TAU).unwrap();
    for curve in [tube.clone(), tube.reversed()] {
        let faces = faces(&turned_step(vec![curve]));
        let [(torus, true)] = &faces[..] else { panic!("{faces:?}") };
        let radii: Vec<f64> =
            torus.trim_end_matches(");").rsplit(',').take(2).map(|r| r.parse().unwrap()).collect();
        assert!((radii[0] - 1.0).abs() < 1e-12 && (radii[1] - 3.0).abs() < 1e-12, "{torus}");
    }
    // Not one of them: a bowl whose meridian is a parabola.
    let parabola = NurbsCurve::from_control_points(&[p(0.0, 0.0), p(6.0, 0.0), p(0.0, 9.0)], 1e-6).unwrap();
    assert!(faces(&turned_step(vec![parabola]))[0].0.contains("RATIONAL_B_SPLINE_SURFACE"));
}

#[test]
fn what_cannot_be_sent_is_refused_with_its_cure() {
    let open = prism(false);
    assert!(matches!(write(&open, Format::Stl, 0.1), Err(ExchangeError::NeedsSolid { format: "STL", .. })));
    assert!(matches!(write(&open, Format::ThreeMf, 0.1), Err(ExchangeError::NeedsSolid { .. })));
    for chord in [0.0, -1.0, f64::NAN, 1e9] {
        assert!(matches!(write(&open, Format::Step, chord), Err(ExchangeError::Tolerance(_))));
    }
    // An eighth of a ball of 60 m, to half a micrometre: more triangles than are made.
    let p = |r: f64, z: f64| Point3::new(r, 0.0, z);
    let frame = Frame::new(p(0.0, 0.0), Vector3::x(), Vector3::z()).unwrap();
    let half = circle_arc(&frame, 3e4, -FRAC_PI_2, PI).unwrap();
    let huge = turned(vec![half], FRAC_PI_4);
    let refused = write(&huge, Format::Stl, 0.0005);
    let Err(ExchangeError::Coarse { reached, asked, .. }) = refused else { panic!("it is sent") };
    assert!(reached > asked && asked == 0.0005);
    assert!(write(&huge, Format::Stl, 1.01 * reached).is_ok());
    let nothing = Export { part: "Empty", bodies: vec![], chord: 0.1 };
    assert!(matches!(nothing.write(Format::Step), Err(ExchangeError::Empty)));
    assert!(matches!(Format::from_ending("obj"), Err(ExchangeError::UnknownFormat(_))));
    for format in Format::ALL {
        assert_eq!(Format::from_ending(&format.ending().to_uppercase()).unwrap(), format);
    }
}
