//! The ordinary program: a general-purpose CSV reader, a general-purpose worksheet writer, every kind hard-coded. Which of
//! the three made-up files it is shows in the number of its columns.

use rust_xlsxwriter::{ExcelDateTime, Format, Workbook};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().collect();
    let mut reader = csv::Reader::from_path(&args[1])?;
    let mut book = Workbook::new();
    let sheet = book.add_worksheet_with_constant_memory()?;
    let date = Format::new().set_num_format("yyyy-mm-dd");
    let moment = Format::new().set_num_format("yyyy-mm-dd hh:mm:ss");
    let text = Format::new().set_num_format("@");
    for (column, name) in reader.headers()?.clone().iter().enumerate() {
        sheet.write_string(0, column as u16, name)?;
    }
    let columns = reader.headers()?.len();
    let is_number = |column: usize| match columns {
        12 => matches!(column, 9 | 10),
        3 => column == 2,
        _ => true,
    };
    let mut record = csv::StringRecord::new();
    let mut row = 1;
    while reader.read_record(&mut record)? {
        for (column, value) in record.iter().enumerate() {
            let place = column as u16;
            match column {
                5 if columns == 12 => {
                    let day = ExcelDateTime::from_ymd(
                        value[6..10].parse()?,
                        value[3..5].parse()?,
                        value[..2].parse()?,
                    )?;
                    sheet.write_datetime_with_format(row, place, &day, &date)?;
                }
                6 if columns == 12 => {
                    sheet.write_datetime_with_format(
                        row,
                        place,
                        &ExcelDateTime::parse_from_str(value)?,
                        &moment,
                    )?;
                }
                _ if is_number(column) => {
                    sheet.write_number(row, place, value.parse::<f64>()?)?;
                }
                _ => {
                    sheet.write_string_with_format(row, place, value, &text)?;
                }
            }
        }
        row += 1;
    }
    book.save(&args[2])?;
    Ok(())
}
