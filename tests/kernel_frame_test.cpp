// SPDX-License-Identifier: GPL-3.0-or-later
// Frames in the kernel's form, and what is said of interfaces that cannot be opened; without any interface.
#include <QTest>

#include <cstring>
#include <random>
#include <tuple>

#include "bus/kernel_bus.h"
#include "bus/kernel_frame.h"
#include "bus/kernel_interfaces.h"

using namespace wavetrope;
using namespace wavetrope::bus;

class KernelFrameTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void aFrameSurvivesTheWayThereAndBack()
    {
        std::mt19937 random(51);
        for (int i = 0; i < 20'000; ++i) {
            can::Frame frame;
            frame.kind = static_cast<can::FrameKind>(random() % 4);
            frame.id.extended = frame.kind != can::FrameKind::error && random() % 2 != 0;
            frame.id.value = frame.kind == can::FrameKind::error ? 1U << random() % 9
                                                                 : random() & (frame.id.extended ? 0x1FFFFFFFU : 0x7FFU);
            const bool fd = frame.kind == can::FrameKind::fd;
            frame.dlc = frame.kind == can::FrameKind::error ? std::uint8_t{8} : static_cast<std::uint8_t>(random() % (fd ? 16 : 9));
            frame.length = frame.kind == can::FrameKind::remote ? std::uint8_t{0} : static_cast<std::uint8_t>(can::lengthOfDlc(frame.dlc));
            if (frame.kind == can::FrameKind::data && frame.dlc == 8)
                frame.dlc = static_cast<std::uint8_t>(8 + random() % 8);
            frame.brs = fd && random() % 2 != 0;
            frame.esi = fd && random() % 2 != 0;
            for (unsigned k = 0; k < frame.length; ++k)
                frame.data[k] = static_cast<std::uint8_t>(random());
            const KernelFrame kernel = toKernel(frame);
            QCOMPARE(kernel.size, fd ? CANFD_MTU : CAN_MTU);
            const auto back = fromKernel(kernel.frame, kernel.size);
            QVERIFY(back.has_value());
            QCOMPARE(back->id, frame.id);
            QCOMPARE(back->kind, frame.kind);
            QCOMPARE(back->length, frame.length);
            QCOMPARE(back->dlc, frame.dlc);
            QCOMPARE(back->brs, frame.brs);
            QCOMPARE(back->esi, frame.esi);
            QVERIFY(back->data == frame.data);
        }
    }

    void whatHasNoFrameSizeIsNoFrame()
    {
        canfd_frame frame{};
        for (const std::size_t size : {0UL, 1UL, 15UL, 17UL, 71UL, 73UL})
            QVERIFY(!fromKernel(frame, size));
    }

    void whatStandsBesideAFrame()
    {
        // As the kernel puts it there: in any order, or not at all.
        const auto told = [](const std::vector<std::pair<int, std::vector<std::int64_t>>>& parts) {
            alignas(cmsghdr) static char room[512];
            std::size_t at = 0;
            std::memset(room, 0, sizeof room);
            for (const auto& [type, values] : parts) {
                auto* head = reinterpret_cast<cmsghdr*>(room + at);
                const std::size_t size = type == SO_RXQ_OVFL ? 4 : values.size() * 8;
                *head = {CMSG_LEN(size), SOL_SOCKET, type};
                std::memcpy(CMSG_DATA(head), values.data(), size);
                at += CMSG_SPACE(size);
            }
            msghdr message{};
            message.msg_control = room;
            message.msg_controllen = at;
            return factsOf(message);
        };
        const std::int64_t day = 1'800'000'000;
        QVERIFY(!told({}).kernel && !told({}).hardware && !told({}).dropped);
        const KernelFacts plain = told({{SO_TIMESTAMPNS, {day, 500}}, {SO_RXQ_OVFL, {77}}});
        QCOMPARE(plain.kernel->count(), day * 1'000'000'000 + 500);
        QVERIFY(!plain.hardware);
        QCOMPARE(*plain.dropped, 77U);
        QVERIFY(!stampOf(plain).ofHardware);
        QCOMPARE(stampOf(plain).time, *plain.kernel);
        // The hardware's is the third of its stamps; three of nothing are none.
        const KernelFacts both = told({{SO_RXQ_OVFL, {0}}, {SO_TIMESTAMPING, {0, 0, 0, 0, day, 100}}, {SO_TIMESTAMPNS, {day, 500}}});
        QCOMPARE(both.hardware->count(), day * 1'000'000'000 + 100);
        QVERIFY(stampOf(both).ofHardware);
        QCOMPARE(stampOf(both).time, *both.hardware);
        QCOMPARE(stampOf(both).apart.count(), 400);
        QVERIFY(!told({{SO_TIMESTAMPING, {day, 1, 0, 0, 0, 0}}}).hardware);
        // A clock that goes from when the adapter was plugged in, or one that is a second and a nanosecond ahead, is not taken.
        for (const auto& [seconds, nanoseconds, taken] : std::vector<std::tuple<std::int64_t, std::int64_t, bool>>{
                 {12, 0, false}, {day + 1, 501, false}, {day + 1, 500, true}, {day - 1, 500, true}, {day - 1, 499, false}}) {
            const Stamp stamp = stampOf(told({{SO_TIMESTAMPNS, {day, 500}}, {SO_TIMESTAMPING, {0, 0, 0, 0, seconds, nanoseconds}}}));
            QCOMPARE(stamp.ofHardware, taken);
            QCOMPARE(stamp.time.count(), taken ? seconds * 1'000'000'000 + nanoseconds : day * 1'000'000'000 + 500);
        }
        // Ones that were cut off say nothing.
        QVERIFY(!told({{SO_TIMESTAMPNS, {day}}}).kernel);
        QVERIFY(!told({{SO_TIMESTAMPING, {0, 0, 0, 0, day}}}).hardware);
    }

    void absurdLengthsAreCut()
    {
        canfd_frame frame{};
        frame.len = 255;
        QCOMPARE(unsigned{fromKernel(frame, CAN_MTU)->length}, 8U);
        QCOMPARE(unsigned{fromKernel(frame, CANFD_MTU)->length}, 64U);
    }

    void anInterfaceThatCannotBeOpenedIsExplained()
    {
        QVERIFY(!KernelBus::open("", {}));
        QVERIFY(!KernelBus::open("a-name-that-is-too-long", {}));
        const auto missing = KernelBus::open("nocan77", {});
        QVERIFY(!missing);
        const std::string text = missing.error().text();
        QVERIFY2(text.find("no such interface") != std::string::npos || text.find("no CAN sockets") != std::string::npos
                     || text.find("not permitted") != std::string::npos,
            text.c_str());
        QVERIFY(text.find("nocan77") != std::string::npos);
    }

    void theKernelAnswersWithItsInterfaces()
    {
        const auto interfaces = kernelInterfaces();
        QVERIFY(interfaces.has_value());
        for (const KernelInterface& interface : *interfaces)
            QVERIFY(!interface.name.empty() && !interface.kind.empty() && interface.index > 0);
    }
};

QTEST_APPLESS_MAIN(KernelFrameTest)
#include "kernel_frame_test.moc"
