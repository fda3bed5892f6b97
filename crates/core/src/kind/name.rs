//! What a column's name says about its values.
//!
//! Only whole words count: `item_id`, `Reise-Nr` and `PostalCode` hold one, `paid` and `Norden` do not.

/// What a name speaks for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NameEvidence {
    /// Values that nobody adds up: the word that says so.
    Identifier(String),
    /// Years or periods: the word that says so.
    Year(String),
    /// Quantities: the word that says so.
    Quantity(String),
    /// Nothing.
    None,
}

/// Words for identifiers, in the languages that Incola reads, without accents.
const IDENTIFIER: &str = " no nr num number numbers id ids identifier code codes key ref reference zip zipcode postcode \
postal phone telephone tel telefon fax mobile handy account acct iban bic isbn issn ean gtin gln upc sku imo mmsi sscc \
serial barcode uuid guid version ver revision rev hash \
nummer kennung kennzeichen kennziffer kennzahl schluessel schlussel plz konto kontonr kdnr artnr belegnr blz ident \
numero numeros cle matricule siren siret telefono cap codice codici chiave progressivo progr partita matricola \
codigo cod clave cif nif nie dni chave conta matriculacion cpf cnpj cep \
sleutel rekening btw kvk bsn postnummer personnummer orgnr ";

/// Words for identifiers whose points divide levels, and no decimals: version 1.10 comes behind 1.9, and is not 1.1.
const LEVELLED: &str = " version versions ver revision rev release section sections chapter clause paragraph article room suite \
abschnitt kapitel ziffer paragraf raum zimmer ausgabe section chapitre alinea salle version piece \
sezione capitolo aula stanza versione seccion capitulo apartado sala habitacion secao capitulo versao \
hoofdstuk paragraaf kamer lokaal versie ";

/// Words for years and periods.
const YEAR: &str = " year years yr jahr jahre annee an anno anni ano anos jaar jaren exercice jahrgang vintage period periode periodo ";

/// Words for quantities, which outweigh words for identifiers.
const QUANTITY: &str = " count counts qty quantity amount amounts total totals sum price prices cost costs weight \
weights rate rates pct percent percentage value values volume tonnage tonnes tons kg t m m2 m3 mm cm km l hours minutes \
seconds days weeks months duration length width height depth size area distance balance fee fees dues paid gross net tax \
score temperature temp speed population latitude longitude lat lon lng average avg mean min max ratio share of per pieces \
units boxes age \
anzahl menge betrag betraege summe preis preise kosten gewicht wert werte anteil prozent stueck stuck dauer laenge lange \
breite hoehe hohe tiefe groesse flaeche flache saldo gebuehr gebuhr umsatz einwohner pro \
nombre quantite montant somme prix cout poids taux valeur pourcentage duree longueur largeur hauteur solde de des par \
cantidad importe suma precio costo coste peso tasa valor porcentaje duracion saldo por \
quantita importo somma prezzo costo tasso valore percentuale durata lunghezza larghezza altezza di popolazione \
quantidade montante soma preco taxa porcentagem duracao \
aantal hoeveelheid bedrag totaal som prijs gewicht waarde percentage duur lengte breedte hoogte van ";

/// Other words that usually name columns.
const USUAL: &str = " name names vessel ship city town country street address date time day month type status state kind \
description remarks remark comment comments category region province county first last email mail title note notes group \
class unit units currency source from to flag port berth cargo company customer supplier product item department person \
user owner agent carrier text label value subject language gender sex \
schiff ort stadt land strasse datum zeit tag monat art bezeichnung bemerkung beschreibung kategorie vorname nachname firma \
kunde produkt abteilung titel gruppe einheit waehrung wahrung quelle von bis hafen fracht anschrift \
nom prenom ville pays rue adresse heure jour mois etat libelle remarque categorie client produit titre groupe unite devise \
navire port nombre apellido ciudad pais calle direccion fecha hora dia mes tipo estado descripcion observaciones cliente \
producto titulo grupo unidad moneda buque puerto nome cognome citta paese via indirizzo data ora giorno mese stato \
descrizione note prodotto titolo gruppo unita valuta nave porto naam stad straat adres tijd dag maand soort omschrijving \
opmerking klant groep eenheid schip haven ";

/// Whether `name` is short and holds a word that usually names columns.
pub fn is_usual(name: &str) -> bool {
    let words = words(name);
    words.len() <= 5
        && (evidence(name) != NameEvidence::None
            || words.iter().any(|word| USUAL.contains(&format!(" {} ", plain(word)))))
}

/// What `name` speaks for.
///
/// ```
/// use incola_core::kind::name::{NameEvidence, evidence};
/// assert_eq!(evidence("Reise-Nr"), NameEvidence::Identifier("Nr".into()));
/// assert_eq!(evidence("No of calls"), NameEvidence::Quantity("of".into()));
/// ```
pub fn evidence(name: &str) -> NameEvidence {
    let words = words(name);
    let found = |list: &str| words.iter().find(|word| list.contains(&format!(" {} ", plain(word)))).cloned();
    if let Some(word) = found(QUANTITY) {
        return NameEvidence::Quantity(word);
    }
    if let Some(word) = found(IDENTIFIER) {
        return NameEvidence::Identifier(word);
    }
    // `n°` and `nº` are words for numbers too.
    if let Some(word) = ["n°", "nº", "№", "#"].into_iter().find(|w| name.to_lowercase().contains(w)) {
        return NameEvidence::Identifier(word.into());
    }
    found(YEAR).map_or(NameEvidence::None, NameEvidence::Year)
}

/// The word of a name that says that points divide levels, if there is one and nothing speaks for quantities.
///
/// ```
/// use incola_core::kind::name::levelled;
/// assert_eq!(levelled("Tide table version"), Some("version".into()));
/// assert_eq!(levelled("Room price"), None);
/// ```
pub fn levelled(name: &str) -> Option<String> {
    if matches!(evidence(name), NameEvidence::Quantity(_)) {
        return None;
    }
    words(name).into_iter().find(|word| LEVELLED.contains(&format!(" {} ", plain(word))))
}

/// The words of a name: divided at everything but letters and digits, and where a small letter meets a capital.
fn words(name: &str) -> Vec<String> {
    let mut words: Vec<String> = vec![String::new()];
    let mut before = ' ';
    for c in name.chars() {
        if c.is_alphanumeric() {
            if before.is_lowercase() && c.is_uppercase() {
                words.push(String::new());
            }
            if let Some(word) = words.last_mut() {
                word.push(c);
            }
        } else {
            words.push(String::new());
        }
        before = c;
    }
    words.retain(|w| !w.is_empty());
    words
}

/// A word in lower case without accents.
fn plain(word: &str) -> String {
    word.to_lowercase()
        .chars()
        .map(|c| match c {
            'à' | 'á' | 'â' | 'ã' | 'ä' => 'a',
            'è' | 'é' | 'ê' | 'ë' => 'e',
            'ì' | 'í' | 'î' | 'ï' => 'i',
            'ò' | 'ó' | 'ô' | 'õ' | 'ö' => 'o',
            'ù' | 'ú' | 'û' | 'ü' => 'u',
            'ç' => 'c',
            'ñ' => 'n',
            c => c,
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whole_words_speak_and_quantities_outweigh() {
        for (name, expected) in [
            ("item_id", Some("id")),
            ("county_id", Some("id")),
            ("PostalCode", Some("Postal")),
            ("Codice Regione", Some("Codice")),
            ("N° d'escale", Some("n°")),
            ("Call no", Some("no")),
            ("Número", Some("Número")),
            ("paid", None),
            ("Norden", None),
            ("Number of calls", None),
            ("Code weight", None),
            ("Gross kg", None),
        ] {
            let word = match evidence(name) {
                NameEvidence::Identifier(word) => Some(word),
                _ => None,
            };
            assert_eq!(word.as_deref(), expected, "{name}");
        }
        assert_eq!(evidence("Jahr"), NameEvidence::Year("Jahr".into()));
        assert_eq!(evidence("Dues"), NameEvidence::Quantity("Dues".into()));
    }
}
