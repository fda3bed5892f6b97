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

/// Words for identifiers, in the languages that Incola reads, as [`plain`] has them: without accents, and with one sigma.
const IDENTIFIER: &str = " no nr num number numbers id ids identifier code codes key ref reference zip zipcode postcode \
postal phone telephone tel telefon fax mobile handy account acct iban bic isbn issn ean gtin gln upc sku imo mmsi sscc \
serial barcode uuid guid version ver revision rev hash \
nummer kennung kennzeichen kennziffer kennzahl schluessel schlussel plz konto kontonr kdnr artnr belegnr blz ident \
numero numeros cle matricule siren siret telefono cap codice codici chiave progressivo progr partita matricola \
codigo cod clave cif nif nie dni chave conta matriculacion cpf cnpj cep \
sleutel rekening btw kvk bsn postnummer personnummer orgnr \
kod kodu kody numer numeru konta pesel nip regon pocztowy cislo cisla kodem psc ico dic ucet \
telefonnummer kontonummer postnr varenummer varenr kundnr kundenr artikelnr organisationsnummer cvr cpr \
numerot koodi puhelin postinumero tili tunnus tunniste hetu \
szam szama kodja azonosito iranyitoszam telefonszam szamla cikkszam adoszam \
numara numarasi tckn vkn plaka \
номер номера код коды инн кпп огрн снилс счет индекс телефон артикул штрихкод \
αριθμοσ αρ κωδικοσ κωδ αφμ τηλεφωνο τκ λογαριασμοσ ";

/// Words for identifiers whose points divide levels, and no decimals: version 1.10 comes behind 1.9, and is not 1.1.
const LEVELLED: &str = " version versions ver revision rev release section sections chapter clause paragraph article room suite \
abschnitt kapitel ziffer paragraf raum zimmer ausgabe section chapitre alinea salle version piece \
sezione capitolo aula stanza versione seccion capitulo apartado sala habitacion secao capitulo versao \
hoofdstuk paragraaf kamer lokaal versie ";

/// Words for years and periods.
const YEAR: &str = " year years yr jahr jahre annee an anno anni ano anos jaar jaren exercice jahrgang vintage period periode periodo \
rok roku lata ar aar vuosi ev yil год года лет ετοσ ";

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
aantal hoeveelheid bedrag totaal som prijs gewicht waarde percentage duur lengte breedte hoogte van \
kwota kwoty cena ceny ilosc liczba wartosc waga masa stawka dlugosc szerokosc wysokosc razem \
castka mnozstvi pocet hodnota hmotnost vaha sazba delka sirka vyska \
antal belopp pris vikt summa varde bredd hojd langd mangde belob belop vaegt vekt mengde verdi \
maara hinta paino arvo pituus leveys korkeus \
osszeg mennyiseg darab suly ertek hossz szelesseg magassag netto brutto \
tutar fiyat miktar adet agirlik deger oran uzunluk genislik yukseklik toplam \
сумма цена стоимость количество кол вес масса объем остаток процент ставка длина ширина высота \
ποσο τιμη ποσοτητα βαροσ αξια συνολο μηκοσ πλατοσ υψοσ ";

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
opmerking klant groep eenheid schip haven \
nazwa imie nazwisko miasto miejscowosc ulica adres data godzina dzien miesiac typ rodzaj stan opis uwagi klient firma dzial \
grupa jednostka waluta nazev jmeno prijmeni mesto ulice adresa datum cas den mesic stav popis poznamka zakaznik oddeleni \
skupina jednotka mena namn fornamn efternamn stad gata adress manad dag tid typ beskrivning anmarkning kund avdelning grupp \
enhet valuta navn fornavn etternavn efternavn by gate gade adresse maned beskrivelse merknad bemaerkning kunde avdeling \
afdeling gruppe enhed nimi etunimi sukunimi kaupunki katu osoite paiva paivamaara aika kuukausi tyyppi tila kuvaus huomautus \
asiakas osasto ryhma yksikko nev keresztnev vezeteknev varos utca cim datum ido honap tipus allapot leiras megjegyzes \
ugyfel osztaly csoport egyseg penznem ad adi soyad soyadi sehir sokak adres tarih saat ay tur durum aciklama musteri bolum \
birim имя фамилия отчество фио название наименование город улица адрес дата время день месяц тип вид статус состояние \
описание примечание комментарий клиент покупатель отдел группа единица валюта ονομα επωνυμο ονοματεπωνυμο πολη οδοσ \
διευθυνση ημερομηνια ωρα μηνασ τυποσ ειδοσ κατασταση περιγραφη παρατηρησεισ πελατησ τμημα ομαδα μοναδα ";

/// The same words where no blanks divide words: they may stand anywhere in a name.
const IDENTIFIER_INSIDE: &str = "番号 コード 電話 郵便 品番 型番 编号 編號 号码 號碼 代码 代碼 电话 邮编 学号 工号 型号 번호 코드 전화 우편";
const QUANTITY_INSIDE: &str = "金額 単価 数量 合計 重量 価格 料金 人数 件数 回数 数値 金额 单价 总额 合计 价格 面积 數量 單價 금액 단가 수량 합계 중량 가격";
const YEAR_INSIDE: &str = "年度 年份 연도 년도";
const USUAL_INSIDE: &str = "氏名 名前 品名 住所 日付 日時 時刻 状態 備考 部署 部門 種類 種別 単位 区分 会社 顧客 事業所 姓名 名称 名稱 \
地址 日期 时间 時間 状态 狀態 备注 備註 部门 类型 類型 单位 單位 客户 公司 城市 이름 성명 주소 날짜 일자 시간 상태 비고 부서 종류 단위 고객 회사";

/// Whether `name` is short and holds a word that usually names columns.
pub fn is_usual(name: &str) -> bool {
    let words = words(name);
    words.len() <= 5
        && (evidence(name) != NameEvidence::None
            || words.iter().any(|word| USUAL.contains(&format!(" {} ", plain(word))))
            || inside(name, USUAL_INSIDE).is_some())
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
    if let Some(word) = found(QUANTITY).or_else(|| inside(name, QUANTITY_INSIDE)) {
        return NameEvidence::Quantity(word);
    }
    if let Some(word) = found(IDENTIFIER).or_else(|| inside(name, IDENTIFIER_INSIDE)) {
        return NameEvidence::Identifier(word);
    }
    // `n°` and `nº` are words for numbers too.
    if let Some(word) = ["n°", "nº", "№", "#"].into_iter().find(|w| name.to_lowercase().contains(w)) {
        return NameEvidence::Identifier(word.into());
    }
    found(YEAR).or_else(|| inside(name, YEAR_INSIDE)).map_or(NameEvidence::None, NameEvidence::Year)
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

/// The first word of a list that a name holds somewhere.
fn inside(name: &str, list: &str) -> Option<String> {
    if name.is_ascii() {
        return None;
    }
    list.split(' ').find(|word| name.contains(word)).map(str::to_owned)
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
            'à' | 'á' | 'â' | 'ã' | 'ä' | 'å' | 'ą' | 'ă' => 'a',
            'è' | 'é' | 'ê' | 'ë' | 'ę' | 'ě' => 'e',
            'ì' | 'í' | 'î' | 'ï' | 'ı' => 'i',
            'ò' | 'ó' | 'ô' | 'õ' | 'ö' | 'ő' | 'ø' => 'o',
            'ù' | 'ú' | 'û' | 'ü' | 'ű' | 'ů' => 'u',
            'ç' | 'ć' | 'č' => 'c',
            'ñ' | 'ń' | 'ň' => 'n',
            'ł' => 'l',
            'ř' => 'r',
            'ś' | 'š' | 'ş' => 's',
            'ť' => 't',
            'ý' => 'y',
            'ź' | 'ż' | 'ž' => 'z',
            'ď' => 'd',
            'ğ' => 'g',
            'ά' => 'α',
            'έ' => 'ε',
            'ή' => 'η',
            'ί' | 'ϊ' => 'ι',
            'ό' => 'ο',
            'ύ' | 'ϋ' => 'υ',
            'ώ' => 'ω',
            'ς' => 'σ',
            'ё' => 'е',
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
            ("Numer faktury", Some("Numer")),
            ("Kod pocztowy", Some("Kod")),
            ("Číslo účtu", Some("Číslo")),
            ("Irányítószám", Some("Irányítószám")),
            ("Номер счёта", Some("Номер")),
            ("Αριθμός", Some("Αριθμός")),
            ("注文番号", Some("番号")),
            ("单价", None),
            ("Cena za kod", None),
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
