//! STEP: ISO 10303-21 with the AP242 schema, boundary representations of ISO 10303-42 in millimetres.
//!
//! Lines, circles, planes, cylinders, cones, spheres and tori go out as such; every other curve and surface as an exact
//! (rational) B-spline.

mod geometry_records;
mod records;
mod shells;

use topology::Body;

use crate::Export;
use records::{Records, text};
use shells::{closed_shell, open_shell};

const SCHEMA: &str = "AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 1 1 4 }";

pub(crate) fn write(export: &Export<'_>) -> Vec<u8> {
    let mut r = Records::new();
    let context = units(&mut r);
    let mut solids = Vec::new();
    let mut surfaces = Vec::new();
    for named in &export.bodies {
        let name = text(named.name);
        match &named.body {
            Body::Solid(solid) => {
                let outer = closed_shell(&mut r, solid.outer());
                let voids: Vec<_> = solid
                    .voids()
                    .iter()
                    .map(|shell| {
                        let shell = closed_shell(&mut r, shell);
                        r.add(format!("ORIENTED_CLOSED_SHELL('',*,{shell},.T.)"))
                    })
                    .collect();
                solids.push(if voids.is_empty() {
                    r.add(format!("MANIFOLD_SOLID_BREP({name},{outer})"))
                } else {
                    r.add(format!("BREP_WITH_VOIDS({name},{outer},{})", records::list(&voids)))
                });
            }
            Body::Shell(shell) => {
                let shell = open_shell(&mut r, shell);
                surfaces.push(r.add(format!("SHELL_BASED_SURFACE_MODEL({name},({shell}))")));
            }
        }
    }
    let product = product(&mut r, export.part);
    let name = text(export.part);
    for (items, kind) in
        [(solids, "ADVANCED_BREP_SHAPE_REPRESENTATION"), (surfaces, "MANIFOLD_SURFACE_SHAPE_REPRESENTATION")]
    {
        if items.is_empty() {
            continue;
        }
        let place = r.placement_at_origin();
        let mut all = vec![place];
        all.extend(items);
        let shape = r.add(format!("{kind}({name},{},{context})", records::list(&all)));
        r.add(format!("SHAPE_DEFINITION_REPRESENTATION({product},{shape})"));
    }
    let header = format!(
        "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION(('boundary representation'),'2;1');\nFILE_NAME({name},'',(''),(''),'Kindred Shell','Kindred Shell','');\nFILE_SCHEMA(('{SCHEMA}'));\nENDSEC;\nDATA;\n"
    );
    let mut out = header.into_bytes();
    out.extend(r.into_bytes());
    out.extend(b"ENDSEC;\nEND-ISO-10303-21;\n");
    out
}

/// Millimetres, radians, and the modelling resolution as uncertainty.
fn units(r: &mut Records) -> records::Id {
    let length = r.add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))".into());
    let angle = r.add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))".into());
    let solid_angle = r.add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())".into());
    let uncertainty = r.add(format!(
        "UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-06),{length},'distance_accuracy_value','')"
    ));
    r.add(format!(
        "(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT(({uncertainty}))GLOBAL_UNIT_ASSIGNED_CONTEXT(({length},{angle},{solid_angle}))REPRESENTATION_CONTEXT('',''))"
    ))
}

fn product(r: &mut Records, part: &str) -> records::Id {
    let name = text(part);
    let application = r.add("APPLICATION_CONTEXT('managed model based 3d engineering')".into());
    r.add(format!(
        "APPLICATION_PROTOCOL_DEFINITION('international standard','ap242_managed_model_based_3d_engineering',2014,{application})"
    ));
    let context = r.add(format!("PRODUCT_CONTEXT('',{application},'mechanical')"));
    let product = r.add(format!("PRODUCT({name},{name},'',({context}))"));
    let formation = r.add(format!("PRODUCT_DEFINITION_FORMATION('','',{product})"));
    let design = r.add(format!("PRODUCT_DEFINITION_CONTEXT('part definition',{application},'design')"));
    let definition = r.add(format!("PRODUCT_DEFINITION('design','',{formation},{design})"));
    r.add(format!("PRODUCT_DEFINITION_SHAPE('','',{definition})"))
}
