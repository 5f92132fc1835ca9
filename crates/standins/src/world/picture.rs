//! Small sketches as PNG: a station, the rope and a cabin, placed by a number.

/// A 96 × 64 sketch; the same number gives the same bytes.
pub fn sketch(number: u32) -> Vec<u8> {
    let (width, height) = (96u32, 64u32);
    let cabin = 12 + number * 7 % 64;
    let mut pixels = Vec::with_capacity((width * height) as usize);
    for y in 0..height {
        for x in 0..width {
            let rope = 20 + x / 8;
            let on_cabin = x.abs_diff(cabin) < 7 && y > rope && y < rope + 14;
            let station = x < 10 && y > 14;
            pixels.push(match () {
                _ if y == rope => 40,
                _ if on_cabin => 90,
                _ if station => 150,
                _ => 245,
            });
        }
    }
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, width, height);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.set_depth(png::BitDepth::Eight);
    let written = encoder.write_header().and_then(|mut w| w.write_image_data(&pixels));
    written.expect("writing to memory cannot fail");
    out
}
