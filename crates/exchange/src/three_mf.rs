//! 3MF Core Specification 1.x: an OPC package (ECMA-376 Part 2) with one model part, in millimetres.

use std::io::{BufWriter, Seek, Write};

use quick_xml::escape::escape;
use topology::Mesh;
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use crate::ExchangeError;

const CONTENT_TYPES: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>"#;
const RELATIONSHIPS: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>"#;

pub(crate) fn write(
    part: &str,
    bodies: &[(String, Vec<Mesh>)],
    out: &mut (impl Write + Seek),
) -> Result<(), ExchangeError> {
    let trouble = |e: &dyn std::fmt::Display| ExchangeError::Package(e.to_string());
    let mut zip = ZipWriter::new(out);
    let options = SimpleFileOptions::default().last_modified_time(zip::DateTime::default());
    for (name, text) in [("[Content_Types].xml", CONTENT_TYPES), ("_rels/.rels", RELATIONSHIPS)] {
        zip.start_file(name, options).map_err(|e| trouble(&e))?;
        zip.write_all(text.as_bytes())?;
    }
    zip.start_file("3D/3dmodel.model", options).map_err(|e| trouble(&e))?;
    let mut text = BufWriter::new(&mut zip);
    model(part, bodies, &mut text)?;
    text.flush()?;
    drop(text);
    zip.finish().map_err(|e| trouble(&e))?;
    Ok(())
}

fn model(part: &str, bodies: &[(String, Vec<Mesh>)], out: &mut impl Write) -> std::io::Result<()> {
    out.write_all(br#"<?xml version="1.0" encoding="UTF-8"?>"#)?;
    out.write_all(b"\n<model unit=\"millimeter\" xml:lang=\"en\" xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\">")?;
    write!(out, "<metadata name=\"Title\">{}</metadata><resources>", escape(part))?;
    for (i, (name, meshes)) in bodies.iter().enumerate() {
        write!(out, "<object id=\"{}\" name=\"{}\" type=\"model\"><mesh><vertices>", i + 1, escape(name))?;
        for p in meshes.iter().flat_map(|m| &m.positions) {
            write!(out, "<vertex x=\"{}\" y=\"{}\" z=\"{}\"/>", p.x, p.y, p.z)?;
        }
        out.write_all(b"</vertices><triangles>")?;
        let mut first = 0;
        for mesh in meshes {
            for [a, b, c] in mesh.triangles().map(|t| t.map(|i| i as usize + first)) {
                write!(out, "<triangle v1=\"{a}\" v2=\"{b}\" v3=\"{c}\"/>")?;
            }
            first += mesh.positions.len();
        }
        out.write_all(b"</triangles></mesh></object>")?;
    }
    out.write_all(b"</resources><build>")?;
    for i in 0..bodies.len() {
        write!(out, "<item objectid=\"{}\"/>", i + 1)?;
    }
    out.write_all(b"</build></model>")
}
