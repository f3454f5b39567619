// SPDX-License-Identifier: GPL-3.0-or-later
// Comma-separated output: quoting after RFC 4180, and nothing lost on the way out.
#include <QTest>

#include <cstdio>
#include <functional>
#include <random>

#include "../src/cli/csv.h"

using wavetrope::cli::CsvWriter;

namespace {

QByteArray written(const std::function<void(CsvWriter&)>& write)
{
    std::FILE* file = std::tmpfile();
    {
        CsvWriter out(file);
        write(out);
    }
    std::rewind(file);
    QByteArray text;
    char buffer[4096];
    for (std::size_t got = 0; (got = std::fread(buffer, 1, sizeof buffer, file)) > 0;)
        text.append(buffer, static_cast<qsizetype>(got));
    std::fclose(file);
    return text;
}

// Takes a text apart by the rules of RFC 4180, slowly and plainly.
QList<QList<QByteArray>> parsed(const QByteArray& text)
{
    QList<QList<QByteArray>> rows{{}};
    QByteArray field;
    bool quoted = false;
    for (qsizetype i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted && c == '"' && i + 1 < text.size() && text[i + 1] == '"') {
            field.append('"');
            ++i;
        } else if (c == '"') {
            quoted = !quoted;
        } else if (!quoted && c == ',') {
            rows.last().append(field);
            field.clear();
        } else if (!quoted && c == '\n') {
            rows.last().append(field);
            field.clear();
            rows.append(QList<QByteArray>{});
        } else {
            field.append(c);
        }
    }
    rows.removeLast();
    return rows;
}

}  // namespace

class CsvTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void fieldsAreQuotedWhereTheyMustBe_data()
    {
        QTest::addColumn<QByteArray>("field");
        QTest::addColumn<QByteArray>("text");
        QTest::newRow("plain") << QByteArray("plain") << QByteArray("plain");
        QTest::newRow("empty") << QByteArray("") << QByteArray("");
        QTest::newRow("space") << QByteArray(" a b ") << QByteArray(" a b ");
        QTest::newRow("comma") << QByteArray("a,b") << QByteArray("\"a,b\"");
        QTest::newRow("quote") << QByteArray("a\"b") << QByteArray("\"a\"\"b\"");
        QTest::newRow("line end") << QByteArray("a\nb") << QByteArray("\"a\nb\"");
        QTest::newRow("carriage return") << QByteArray("a\rb") << QByteArray("\"a\rb\"");
        QTest::newRow("only a quote") << QByteArray("\"") << QByteArray("\"\"\"\"");
        QTest::newRow("utf-8") << QByteArray("\xC2\xB0"
                                             "C")
                               << QByteArray("\xC2\xB0"
                                             "C");
    }
    void fieldsAreQuotedWhereTheyMustBe()
    {
        QFETCH(QByteArray, field);
        QFETCH(QByteArray, text);
        QCOMPARE(written([&](CsvWriter& out) { out.row({std::string_view(field.constData(), static_cast<std::size_t>(field.size()))}); }),
            text + "\n");
    }

    void rowsEndWithALineFeedAndFieldsWithCommasBetween()
    {
        QCOMPARE(written([](CsvWriter& out) {
            out.row({"a", "b", "c"});
            out.row({"", "", ""});
            out.field("last");
            out.endRow();
        }),
            QByteArray("a,b,c\n,,\nlast\n"));
        QCOMPARE(written([](CsvWriter&) {}), QByteArray());
    }

    void anythingWrittenIsReadBackTheSame()
    {
        std::mt19937 random(71);
        const QByteArray alphabet = "ab,\"\n\r ;x1";
        QList<QList<QByteArray>> rows;
        for (int i = 0; i < 5000; ++i) {
            QList<QByteArray> row;
            for (unsigned k = 0; k < 1 + random() % 6; ++k) {
                QByteArray field;
                for (unsigned n = 0; n < random() % 12; ++n)
                    field.append(alphabet[static_cast<qsizetype>(random() % static_cast<unsigned>(alphabet.size()))]);
                row.append(field);
            }
            rows.append(row);
        }
        const QByteArray text = written([&](CsvWriter& out) {
            for (const auto& row : rows) {
                for (const QByteArray& field : row)
                    out.field({field.constData(), static_cast<std::size_t>(field.size())});
                out.endRow();
            }
        });
        QCOMPARE(parsed(text), rows);
    }
};

QTEST_APPLESS_MAIN(CsvTest)
#include "csv_test.moc"
