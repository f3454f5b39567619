// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/script/script_view.h"

#include <QComboBox>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QPainter>
#include <QRegularExpression>
#include <QScreen>
#include <QShortcut>
#include <QTableWidget>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/script/editor_library.h"
#include "app/theme/theme.h"
#include "drive/node.h"
#include "rig/scripts.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr int checkBehind = 250;        // ms behind the last key
constexpr int wrongMarker = 3, wrongStyle = 40;
constexpr int shownLogLines = 1000;

// The editor knows sizes in points alone.
QFont inPoints(QFont font)
{
    if (font.pixelSize() > 0)
        font.setPointSizeF(font.pixelSize() * 72.0 / QGuiApplication::primaryScreen()->logicalDotsPerInchY());
    return font;
}

}  // namespace

ScriptView::ScriptView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      choice_(new QComboBox(tools_)),
      status_(new ElidedLabel(tools_)),
      takeOver_(new QPushButton(tr("Take over"), tools_)),
      editor_(new QsciScintilla(this)),
      log_(new QTableWidget(0, 2, this))
{
    setObjectName(QStringLiteral("script"));
    setAccessibleName(tr("Script of a node"));
    setFocusProxy(editor_);
    auto* row = new QHBoxLayout(tools_);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(choice_);
    row->addWidget(status_, 1);
    row->addWidget(takeOver_);
    choice_->setObjectName(QStringLiteral("scriptNode"));
    choice_->setToolTip(tr("Whose script is shown"));
    takeOver_->setObjectName(QStringLiteral("takeOver"));
    takeOver_->setToolTip(tr("Put it in place of the one that runs; values, timers and states go on  (Ctrl+Enter)"));
    Theme::writeInBody(status_);
    editor_->setObjectName(QStringLiteral("scriptText"));
    editor_->setAccessibleName(tr("Text of the script"));
    editor_->setUtf8(true);
    editor_->setIndentationsUseTabs(false);
    editor_->setTabWidth(4);
    editor_->setAutoIndent(true);
    editor_->setBraceMatching(QsciScintilla::SloppyBraceMatch);
    editor_->setMarginLineNumbers(0, true);
    editor_->SendScintilla(QsciScintilla::SCI_SETSCROLLWIDTHTRACKING, 1UL);
    editor_->SendScintilla(QsciScintilla::SCI_SETSCROLLWIDTH, 1UL);
    editor_->markerDefine(QsciScintilla::Background, wrongMarker);
    editor_->setAnnotationDisplay(QsciScintilla::AnnotationStandard);
    editor_->setAutoCompletionSource(QsciScintilla::AcsAPIs);
    editor_->setAutoCompletionThreshold(2);
    editor_->setAutoCompletionCaseSensitivity(false);
    // Once the list of the word in front of the dot is gone.
    connect(editor_, &QsciScintilla::SCN_CHARADDED, this, [this] { QTimer::singleShot(0, this, &ScriptView::offerBehindDot); });
    editor_->setCallTipsStyle(QsciScintilla::CallTipsNoContext);
    log_->setObjectName(QStringLiteral("scriptLog"));
    log_->setAccessibleName(tr("Lines that the script logged"));
    log_->setHorizontalHeaderLabels({tr("time, s"), tr("logged")});
    log_->horizontalHeader()->setStretchLastSection(true);
    log_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    log_->verticalHeader()->hide();
    log_->setShowGrid(false);
    log_->setSelectionBehavior(QAbstractItemView::SelectRows);
    log_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    log_->setToolTip(tr("A click leads to the moment of a line"));
    const auto go = [this](const QTableWidgetItem* item) {
        this->stage().setCursor(Time(log_->item(item->row(), 0)->data(Qt::UserRole).toLongLong()));
    };
    connect(log_, &QTableWidget::itemActivated, this, go);
    connect(log_, &QTableWidget::itemClicked, this, go);
    checking_.setSingleShot(true);
    checking_.setInterval(checkBehind);
    connect(&checking_, &QTimer::timeout, this, &ScriptView::check);
    connect(editor_, &QsciScintilla::textChanged, this, &ScriptView::typed);
    connect(choice_, &QComboBox::activated, this, [this] { show(choice_->currentText()); });
    connect(takeOver_, &QPushButton::clicked, this, &ScriptView::takeOver);
    auto* keys = new QShortcut(QKeySequence(Qt::CTRL | Qt::Key_Return), this, this, &ScriptView::takeOver);
    keys->setContext(Qt::WidgetWithChildrenShortcut);
    connect(&stage, &Stage::beat, this, &ScriptView::refresh);
    connect(&Theme::get(), &Theme::changed, this, &ScriptView::dress);
    dress();
}

nlohmann::json ScriptView::save() const
{
    return node_.isEmpty() ? nlohmann::json::object() : nlohmann::json{{"node", node_.toStdString()}};
}

void ScriptView::restore(const nlohmann::json& setUp)
{
    if (setUp.is_object())
        show(QString::fromStdString(setUp.value("node", std::string())));
}

bool ScriptView::step(bool redo)
{
    if (!editor_->hasFocus() || !(redo ? editor_->isRedoAvailable() : editor_->isUndoAvailable()))
        return false;
    redo ? editor_->redo() : editor_->undo();
    return true;
}

// Colours of the text by what they mean, from the theme.
void ScriptView::dress()
{
    const Theme& theme = Theme::get();
    auto* lexer = new QsciLexerLua(editor_);
    const QFont font = inPoints(theme.mono());
    lexer->setDefaultFont(font);
    lexer->setDefaultColor(theme.ink);
    lexer->setDefaultPaper(theme.raised);
    for (int style = 0; style < 128; ++style) {
        lexer->setFont(font, style);
        lexer->setPaper(theme.raised, style);
        lexer->setColor(theme.ink, style);
    }
    for (const int style : {QsciLexerLua::Comment, QsciLexerLua::LineComment})
        lexer->setColor(theme.ink3, style);
    for (const int style : {QsciLexerLua::String, QsciLexerLua::Character, QsciLexerLua::LiteralString})
        lexer->setColor(theme.bus(BusMark(1)), style);
    lexer->setColor(theme.bus(BusMark(3)), QsciLexerLua::Number);
    lexer->setColor(theme.accent, QsciLexerLua::Keyword);
    lexer->setFont(inPoints(theme.mono(10.5, QFont::DemiBold)), QsciLexerLua::Keyword);
    delete editor_->lexer();
    editor_->setLexer(lexer);
    editor_->setPaper(theme.raised);
    editor_->setColor(theme.ink);
    editor_->setCaretForegroundColor(theme.ink);
    editor_->setSelectionBackgroundColor(theme.accentSoft);
    editor_->setSelectionForegroundColor(theme.ink);
    editor_->setMarginsBackgroundColor(theme.surface);
    editor_->setMarginsForegroundColor(theme.ink3);
    editor_->setMarginsFont(font);
    editor_->setMatchedBraceBackgroundColor(theme.accentSoft);
    editor_->setMatchedBraceForegroundColor(theme.ink);
    const QColor mixed(static_cast<int>(theme.raised.red() * 0.84 + theme.error.red() * 0.16),
        static_cast<int>(theme.raised.green() * 0.84 + theme.error.green() * 0.16),
        static_cast<int>(theme.raised.blue() * 0.84 + theme.error.blue() * 0.16));
    editor_->setMarkerBackgroundColor(mixed, wrongMarker);
    editor_->setFrameShape(QFrame::NoFrame);
    log_->setFrameShape(QFrame::NoFrame);
    log_->setFont(theme.body());
    editor_->setMarginWidth(0, QStringLiteral("00000"));
    editor_->setMarginWidth(1, theme.px(6));
    editor_->setMarginType(1, QsciScintilla::SymbolMarginDefaultBackgroundColor);
    editor_->setMarginMarkerMask(1, 0);
    log_->verticalHeader()->setDefaultSectionSize(theme.rowHeight());
    log_->verticalHeader()->setMinimumSectionSize(theme.px(12));
    offerWords();
    mark(problem_);
    lay();
}

void ScriptView::lay()
{
    const bool any = !node_.isEmpty();
    editor_->setVisible(any);
    log_->setVisible(any);
    const int below = std::min(height() / 3, Theme::get().px(170));
    editor_->setGeometry(0, 0, width(), height() - below);
    log_->setGeometry(0, height() - below, width(), below);
    log_->setColumnWidth(0, Theme::get().px(96));
}

void ScriptView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    lay();
}

void ScriptView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    if (node_.isEmpty()) {
        // That of the node that is chosen, else the first that has one, else the first.
        QString first, scripted;
        for (const drive::NodeSpec& node : stage().document().rig().nodes) {
            const QString name = QString::fromStdString(node.name);
            if (first.isEmpty())
                first = name;
            if (scripted.isEmpty() && !node.script.empty())
                scripted = name;
        }
        const Selection& chosen = stage().selection();
        show(chosen.kind == Selection::Kind::node ? chosen.node : scripted.isEmpty() ? first : scripted);
    }
    refresh();
}

void ScriptView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    if (node_.isEmpty())
        paintText(painter, rect(), tr("This rig has no simulated nodes that a script could belong to."), theme.body(), theme.ink2,
            Qt::AlignCenter);
}

QString ScriptView::textNow() const { return editor_->text(); }

void ScriptView::show(const QString& node)
{
    if (checking_.isActive())
        check();        // what was typed for the one before
    const auto& nodes = stage().document().rig().nodes;
    const bool known = std::any_of(nodes.begin(), nodes.end(), [&](const auto& one) { return one.name == node.toStdString(); });
    node_ = known ? node : QString();
    facts_.reset();
    lines_ = 0;
    log_->setRowCount(0);
    QStringList names;
    for (const drive::NodeSpec& one : nodes)
        names << QString::fromStdString(one.name);
    choice_->clear();
    choice_->addItems(names);
    choice_->setCurrentText(node_);
    QString text;
    std::optional<Error> problem;
    if (known) {
        if (const auto now = rig::scriptOf(stage().document().rig(), node.toStdString()))
            text = QString::fromStdString(*now);
        else
            problem = now.error();
    }
    setting_ = true;
    editor_->setText(text);
    setting_ = false;
    running_ = text;
    offerWords();
    mark(problem);
    lay();
    refresh();
    update();
}

void ScriptView::typed()
{
    if (!setting_)
        checking_.start();
}

void ScriptView::check()
{
    checking_.stop();
    // What is typed from here on is taken back by itself.
    editor_->beginUndoAction();
    editor_->endUndoAction();
    const std::string text = textNow().toStdString();
    rig::setScript(stage().document().rig(), node_.toStdString(), text);
    const auto checked = script::Script::check(text, node_.toStdString() + ".lua");
    mark(checked ? std::nullopt : std::optional(checked.error()));
    refresh();
}

void ScriptView::mark(const std::optional<Error>& error)
{
    problem_ = error;
    editor_->markerDeleteAll(wrongMarker);
    editor_->clearAnnotations();
    if (!error)
        return;
    const int line = std::clamp(error->line - 1, 0, std::max(0, editor_->lines() - 1));
    editor_->markerAdd(line, wrongMarker);
    const Theme& theme = Theme::get();
    const QString words = QString::fromStdString(error->what + (error->remedy.empty() ? "" : ". " + error->remedy));
    editor_->annotate(line, words, QsciStyle(wrongStyle, tr("wrong"), theme.error, theme.surface, inPoints(theme.body())));
}

void ScriptView::takeOver()
{
    if (node_.isEmpty() || !stage().document().isLive())
        return;
    check();
    if (problem_)
        return;
    const std::string text = textNow().toStdString();
    rig::Session* session = stage().document().session();
    if (session == nullptr)
        return;
    std::optional<Error> problem;
    drive::ScriptSpec spec;
    for (const drive::NodeSpec& one : stage().document().rig().nodes)
        if (one.name == node_.toStdString())
            spec = one.script;
    spec.text = text;
    session->call([&](rig::Session& run) {
        auto* node = dynamic_cast<drive::Node*>(run.actor(node_.toStdString()));
        if (node == nullptr)
            problem = Error{"the run has no such node", {}, 0, 0, "Stop it and start it anew"};
        else if (const auto taken = node->takeScript(spec); !taken)
            problem = taken.error();
    });
    mark(problem);
    if (!problem)
        running_ = textNow();
    refresh();
}

void ScriptView::refresh()
{
    if (!isVisible() || node_.isEmpty())
        return;
    facts_.reset();
    if (rig::Session* session = stage().document().session(); session != nullptr)
        for (const rig::NodeReport& report : session->nodeReports())
            if (report.name == node_.toStdString())
                facts_ = report.script;
    takeOver_->setEnabled(facts_.has_value() && !problem_);
    const bool waits = textNow() != running_;
    QString words;
    if (!facts_)
        words = tr("nothing runs");
    else if (problem_)
        words = tr("line %1 is wrong; the script before it goes on").arg(problem_->line);
    else if (waits)
        words = tr("waits to be taken over");
    else if (facts_->stopped)
        words = tr("stopped: %1").arg(QString::fromStdString(facts_->stopped->text()));
    else
        words = facts_->name.empty() ? tr("no script yet") : tr("runs, %1 lines logged").arg(facts_->lines);
    status_->setText(words);
    if (facts_ && facts_->stopped && !waits && !problem_)
        mark(facts_->stopped);
    if (!facts_ || facts_->lines == lines_)
        return;
    // The lines behind those that are shown.
    const std::uint64_t from = facts_->lines - facts_->log.size();
    if (facts_->lines < lines_) {
        log_->setRowCount(0);
        lines_ = 0;
    }
    for (std::size_t i = static_cast<std::size_t>(lines_ > from ? lines_ - from : 0); i < facts_->log.size(); ++i) {
        const drive::LogLine& line = facts_->log[i];
        auto* time = new QTableWidgetItem(QString::number(stage().seconds(line.time), 'f', 3));
        time->setData(Qt::UserRole, QVariant::fromValue<qlonglong>(line.time.count()));
        time->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        const int row = log_->rowCount();
        log_->insertRow(row);
        log_->setItem(row, 0, time);
        log_->setItem(row, 1, new QTableWidgetItem(QString::fromStdString(line.text)));
    }
    while (log_->rowCount() > shownLogLines)
        log_->removeRow(0);
    lines_ = facts_->lines;
    log_->scrollToBottom();
}

// Calls, and the names that a node may speak of.
void ScriptView::offerWords()
{
    QsciLexer* lexer = editor_->lexer();
    if (lexer == nullptr)
        return;
    delete lexer->apis();
    auto* words = new QsciAPIs(lexer);
    dotted_.clear();
    for (const drive::ScriptCall& call : drive::scriptCalls())
        words->add(QStringLiteral("%1(%2)").arg(QLatin1String(call.name), QLatin1String(call.arguments)));
    for (const auto& [part, meaning] : drive::scriptFrameParts())
        dotted_ << QStringLiteral("frame.%1").arg(QLatin1String(part));
    for (const drive::NodeSpec& node : stage().document().rig().nodes) {
        if (node.name != node_.toStdString())
            continue;
        for (const auto& [name, initial] : node.variables)
            words->add(QString::fromStdString(name));
        for (const auto& [name, source] : node.values)
            words->add(QString::fromStdString(name));
        for (const drive::ReactionSpec& reaction : node.reactions)
            if (!reaction.enter.empty())
                words->add(QString::fromStdString(reaction.enter));
        for (const auto& message : stage().catalog().messages()) {
            const std::string& bus = stage().catalog().busName(message.bus);
            if (std::find(node.buses.begin(), node.buses.end(), bus) == node.buses.end())
                continue;
            words->add(QString::fromStdString(message.message->name));
            for (const database::Signal& signal : message.message->signals)
                dotted_ << QString::fromStdString(message.message->name + '.' + signal.name);
        }
    }
    words->prepare();
    dotted_.sort(Qt::CaseInsensitive);
}

// The editor's own lists end at a dot.
void ScriptView::offerBehindDot()
{
    if (editor_->isListActive())
        return;
    int line = 0, index = 0;
    editor_->getCursorPosition(&line, &index);
    static const QRegularExpression behindDot(QStringLiteral("([A-Za-z_]\\w*\\.)(\\w*)$"));
    const auto typed = behindDot.match(editor_->text(line).left(index));
    if (!typed.hasMatch())
        return;
    const QString part = typed.captured(2);
    QStringList fit;
    for (const QString& name : dotted_)
        if (name.startsWith(typed.captured(1)) && name.mid(typed.capturedLength(1)).startsWith(part, Qt::CaseInsensitive))
            fit << name.mid(typed.capturedLength(1));
    if (fit.isEmpty() || (fit.size() == 1 && fit.front() == part))
        return;
    const QByteArray list = fit.join(QLatin1Char('\x03')).toUtf8();  // the separator that the editor goes by
    editor_->SendScintilla(QsciScintilla::SCI_AUTOCSHOW, static_cast<unsigned long>(part.toUtf8().size()), list.constData());
}

}  // namespace wavetrope::app
