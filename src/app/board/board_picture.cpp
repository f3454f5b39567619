// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/board_picture.h"

#include <QCache>
#include <QDateTime>
#include <QFileInfo>
#include <QImageReader>
#include <QObject>
#include <QPainter>
#include <QSvgRenderer>

namespace wavetrope::app {

namespace {

constexpr qint64 mostPictureBytes = 16 << 20;
constexpr int mostPictureSide = 4096;

}  // namespace

QPixmap boardPicture(const QString& path, const QSize& size, QString& problem)
{
    static QCache<QString, QPixmap> kept(32);
    const QFileInfo file(path);
    const QString key =
        QStringLiteral("%1 %2 %3 %4").arg(path).arg(file.lastModified().toMSecsSinceEpoch()).arg(size.width()).arg(size.height());
    if (const QPixmap* known = kept.object(key))
        return *known;
    if (!file.isFile()) {
        problem = QObject::tr("there is no file %1").arg(path);
        return {};
    }
    if (file.size() > mostPictureBytes) {
        problem = QObject::tr("%1 is larger than 16 MB").arg(file.fileName());
        return {};
    }
    QPixmap made(size);
    made.fill(Qt::transparent);
    QPainter painter(&made);
    if (file.suffix().compare(QLatin1String("svg"), Qt::CaseInsensitive) == 0) {
        QSvgRenderer renderer(path);
        if (!renderer.isValid()) {
            problem = QObject::tr("%1 is no picture").arg(file.fileName());
            return {};
        }
        QSizeF wanted = renderer.defaultSize();
        wanted.scale(size, Qt::KeepAspectRatio);
        renderer.render(&painter, QRectF(QPointF((size.width() - wanted.width()) / 2, (size.height() - wanted.height()) / 2), wanted));
    } else {
        QImageReader reader(path);
        const QSize own = reader.size();
        if (!own.isValid() || own.width() > mostPictureSide || own.height() > mostPictureSide) {
            problem = own.isValid() ? QObject::tr("%1 has more than %2 pixels a side").arg(file.fileName()).arg(mostPictureSide)
                                    : QObject::tr("%1 is no picture").arg(file.fileName());
            return {};
        }
        reader.setScaledSize(own.scaled(size, Qt::KeepAspectRatio));
        const QImage image = reader.read();
        if (image.isNull()) {
            problem = QObject::tr("%1 is no picture").arg(file.fileName());
            return {};
        }
        painter.drawImage(QPoint((size.width() - image.width()) / 2, (size.height() - image.height()) / 2), image);
    }
    painter.end();
    kept.insert(key, new QPixmap(made));
    return made;
}

}  // namespace wavetrope::app
