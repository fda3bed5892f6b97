//! The DOS code pages 437, 850 and 852: bytes 0x80 to 0xFF (below, they are ASCII).

/// Code page 437 (United States).
pub(super) const CP437: &str = "ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜ¢£¥₧ƒáíóúñÑªº¿⌐¬½¼¡«»░▒▓│┤╡╢╖╕╣║╗╝╜╛┐\
└┴┬├─┼╞╟╚╔╩╦╠═╬╧╨╤╥╙╘╒╓╫╪┘┌█▄▌▐▀αßΓπΣσµτΦΘΩδ∞φε∩≡±≥≤⌠⌡÷≈°∙·√ⁿ²■\u{a0}";

/// Code page 850 (Western Europe).
pub(super) const CP850: &str = "ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜø£Ø×ƒáíóúñÑªº¿®¬½¼¡«»░▒▓│┤ÁÂÀ©╣║╗╝¢¥┐\
└┴┬├─┼ãÃ╚╔╩╦╠═╬¤ðÐÊËÈıÍÎÏ┘┌█▄¦Ì▀ÓßÔÒõÕµþÞÚÛÙýÝ¯´\u{ad}±‗¾¶§÷¸°¨·¹³²■\u{a0}";

/// Code page 852 (Central Europe).
pub(super) const CP852: &str = "ÇüéâäůćçłëŐőîŹÄĆÉĹĺôöĽľŚśÖÜŤťŁ×čáíóúĄąŽžĘę¬źČş«»░▒▓│┤ÁÂĚŞ╣║╗╝Żż┐\
└┴┬├─┼Ăă╚╔╩╦╠═╬¤đĐĎËďŇÍÎě┘┌█▄ŢŮ▀ÓßÔŃńňŠšŔÚŕŰýÝţ´\u{ad}˝˛ˇ˘§÷¸°¨˙űŘř■\u{a0}";

/// Appends the bytes of `text`; what the page lacks is a question mark, and told.
pub(super) fn encode(high: &str, text: &str, out: &mut Vec<u8>, lacking: &mut impl FnMut(char)) {
    for c in text.chars() {
        if c.is_ascii() {
            out.push(c as u8);
        } else if let Some(place) = high.chars().position(|own| own == c) {
            out.push(place as u8 + 0x80);
        } else {
            lacking(c);
            out.push(b'?');
        }
    }
}

/// Appends the characters of `raw` to `text`, `high` being the page's upper half.
pub(super) fn decode(high: &str, raw: &[u8], text: &mut Vec<u8>) {
    let table: Vec<char> = high.chars().collect();
    let mut encoded = [0; 4];
    let mut at = 0;
    while at < raw.len() {
        let plain = raw[at..].iter().position(|b| !b.is_ascii()).unwrap_or(raw.len() - at);
        text.extend_from_slice(&raw[at..at + plain]);
        at += plain;
        if let Some(&byte) = raw.get(at) {
            let c = table[usize::from(byte) - 0x80];
            text.extend_from_slice(c.encode_utf8(&mut encoded).as_bytes());
            at += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_have_128_characters_and_known_places() {
        for (page, byte, c) in [
            (CP437, 0x81, 'ü'),
            (CP437, 0xE1, 'ß'),
            (CP850, 0x9B, 'ø'),
            (CP850, 0xF5, '§'),
            (CP852, 0x88, 'ł'),
            (CP852, 0xFD, 'ř'),
        ] {
            assert_eq!(page.chars().count(), 128);
            let mut text = Vec::new();
            decode(page, &[b'a', byte, b'b'], &mut text);
            assert_eq!(text, format!("a{c}b").as_bytes());
        }
    }
}
